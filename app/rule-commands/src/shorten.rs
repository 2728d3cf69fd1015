//! `rules --shorten`: ignore files without the lines that do nothing of their own.

use anyhow::Result;
use bstr::ByteSlice;
use redshank_changes::{Edit, RuleTarget};
use redshank_context::{Context, Proposal};
use redshank_output as output;
use redshank_report::{EffectOut, OutputFormat};
use redshank_rules::{RepoPath, RuleScope};
use redshank_templates::{Collection, ShorterFile, WhyRemoved, shorten};
use redshank_text::{self as text, count, shown};
use redshank_worktree::tree::Unread;
use std::collections::BTreeMap;
use std::process::ExitCode;

/// Shows what can go, and takes it out if told.
pub fn run(
    context: &Context,
    format: OutputFormat,
    merging: bool,
    write: bool,
) -> Result<ExitCode> {
    let snapshot = &context.snapshot;
    let collection = Collection::load(snapshot)?;
    let survey = context.survey()?;
    let (mut history, mut cuts) = (Vec::new(), Vec::new());
    if let Some(repository) = &snapshot.repository {
        let paths = repository.paths_ever()?;
        history.extend(paths.iter().map(|path| RepoPath::new(path).to_owned()));
        cuts = repository.history_cuts()?;
    }
    let shorter = shorten(snapshot, &collection, &survey, &history, merging)?;
    let mut edits = Vec::new();
    let mut notes: Vec<String> = shorter.files.iter().flat_map(reasons).collect();
    if !shorter.files.is_empty() {
        notes.push(format!(
            "proven: the verdict stays the same on {} paths, those here, those of the history, \
             and the examples of this project's templates",
            count(shorter.paths as u64)
        ));
    }
    if !shorter.files.is_empty() {
        notes.extend(cuts.iter().map(text::history_cut));
    }
    let removed = shorter.files.iter().flat_map(|file| &file.removed);
    if removed
        .into_iter()
        .any(|line| matches!(line.because, WhyRemoved::Merged { .. }))
    {
        notes.push("a wider rule also matches what isn't there yet".to_owned());
    }
    if shorter.unmerged > 0 {
        let many = count(shorter.unmerged as u64);
        notes.push(format!(
            "{many} lines stay by themselves: one rule for them would change a verdict"
        ));
    }
    if shorter.unproven > 0 {
        notes.push(match shorter.unproven {
            1 => "1 more line seemed to do nothing and stays: a verdict would change".to_owned(),
            many => {
                format!("{many} more lines seemed to do nothing and stay: a verdict would change")
            }
        });
    }
    let mut patterns = Vec::new();
    for file in shorter.files {
        let target = RuleTarget::find(snapshot, RuleScope::Folder, &file.folder)?;
        let removed = file.removed.iter();
        patterns.extend(removed.map(|line| line.pattern.to_str_lossy().into_owned()));
        edits.push(Edit::of_rules(target, file.after));
    }
    // What can't be read outside of ignored folders, the proposal says.
    let known = &snapshot.tree()?.unread;
    let more = snapshot.whole_tree()?.unread.iter();
    let more: Vec<Unread> = more.filter(|one| !known.contains(one)).cloned().collect();
    context.say_unread(&more);
    let outcome = Proposal {
        command: "rules --shorten",
        write,
        on_rules: true,
        edits,
        notes,
        summary: None,
    }
    .carry_out(context)?;
    if !format.is_text() {
        output::json(&EffectOut::new(&snapshot.top, patterns, outcome))?;
    }
    Ok(ExitCode::SUCCESS)
}

/// Why the lines of a file go, a sentence for each reason.
fn reasons(file: &ShorterFile) -> Vec<String> {
    let mut sentences: BTreeMap<&str, Vec<String>> = BTreeMap::new();
    for line in &file.removed {
        let by = match &line.because {
            WhyRemoved::Repeated { line } | WhyRemoved::Covered { line } => {
                format!(" (line {line})")
            }
            WhyRemoved::NoEffect => String::new(),
            WhyRemoved::Merged { pattern } => format!(" (`{}`)", shown(pattern.as_bstr())),
            WhyRemoved::Foreign { template } => format!(" ({template})"),
        };
        let pattern = shown(line.pattern.as_bstr());
        let lines = sentences.entry(text::why_removed(&line.because));
        lines.or_default().push(format!("`{pattern}`{by}"));
    }
    let sentences = sentences.into_iter();
    sentences
        .map(|(words, lines)| format!("{words}: {}", lines.join(", ")))
        .collect()
}
