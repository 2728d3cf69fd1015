//! The options that say which file of rules is meant.

use anyhow::{Result, bail};
use clap::Args;
use redshank_changes::RuleTarget;
use redshank_context::{Context, choices::ReachArg, path_values};
use redshank_rules::{RepoPathBuf, RuleScope, Source};
use redshank_templates::taken_away;
use redshank_text as text;
use redshank_worktree::Overlay;
use redshank_worktree::coverage::Proposed;
use redshank_worktree::effect::Effect;
use redshank_worktree::usage::FileUsage;
use std::collections::HashSet;
use std::ffi::OsString;

/// Which file of rules.
#[derive(Args)]
pub struct RuleArgs {
    /// Who the rule is for: everyone; everyone, in one folder; only this clone; only you, in every
    /// repository. Without it, everyone
    #[arg(long = "for", value_enum, value_name = "REACH")]
    reach: Option<ReachArg>,
    /// The folder, for `--for folder`; without it, the one you are in
    #[arg(long = "in", value_name = "FOLDER", add = path_values::folders())]
    folder: Option<OsString>,
    /// Make your own ignore file if you have none yet
    #[arg(long)]
    create: bool,
}

/// Which of new rules would do nothing, or not what they seem to, each in a sentence with why;
/// `overlay` holds the file with them.
pub fn in_vain(
    context: &Context,
    source: &Source,
    overlay: &Overlay,
    new: &[impl AsRef<[u8]>],
) -> Result<Vec<String>> {
    let snapshot = &context.snapshot;
    let text = bstr::join("\n", new);
    if !Proposed::new(snapshot, source, &text).has_idle(snapshot.tree()?) {
        return Ok(Vec::new());
    }
    let usage = FileUsage::compute(snapshot, source, overlay.clone())?;
    let new = usage.rules.iter().filter(|usage| {
        let rule = usage.rule().text.as_slice();
        // It is for the ignore file itself, which may not be there yet.
        let is_own_exception = rule == b"!.gitignore" && source.scope == RuleScope::Folder;
        !is_own_exception && new.iter().any(|new| new.as_ref() == rule)
    });
    let mut sentences: Vec<String> = new.filter_map(text::in_vain).collect();
    // The same pattern may be there already.
    let mut said = HashSet::new();
    sentences.retain(|sentence| said.insert(sentence.clone()));
    Ok(sentences)
}

/// A pattern as it must be written to mean what was typed: git takes a line that starts with `#`
/// for a comment, and drops spaces at its end (gitignore(5)).
pub fn as_pattern(typed: &str) -> Result<String> {
    if typed.trim().is_empty() {
        bail!(
            "an empty pattern matches nothing\n  name a file, a folder, or a pattern such as `*.log`"
        );
    }
    if typed.contains(['\n', '\r']) {
        bail!("a pattern is one line\n  pass several as several arguments");
    }
    let mut pattern = typed.to_owned();
    if pattern.starts_with('#') {
        pattern.insert(0, '\\');
    }
    if pattern.ends_with(' ') && !pattern.ends_with("\\ ") {
        pattern.insert(pattern.len() - 1, '\\');
    }
    Ok(pattern)
}

/// What rules would take away that people need, each in a sentence.
pub fn losses(context: &Context, effect: &Effect) -> Result<Vec<String>> {
    if effect.kept_out.is_empty() {
        return Ok(Vec::new());
    }
    let survey = context.survey()?;
    let paths = effect.kept_out.iter().map(|entry| &*entry.path);
    Ok(text::taken_away(&taken_away(
        &context.snapshot,
        &survey,
        paths,
    )))
}

impl RuleArgs {
    /// The file of attributes that is meant.
    pub fn attributes_target(&self, context: &Context) -> Result<RuleTarget> {
        let (scope, folder) = self.place(context, ReachArg::Team)?;
        let target = RuleTarget::find_attributes(&context.snapshot, scope, &folder)?;
        Ok(target)
    }

    /// Who it is for, and in which folder; `usual` if nothing is asked for.
    fn place(&self, context: &Context, usual: ReachArg) -> Result<(RuleScope, RepoPathBuf)> {
        let scope = match self.reach.unwrap_or(usual) {
            _ if self.folder.is_some() => RuleScope::Folder,
            ReachArg::Team => RuleScope::Team,
            ReachArg::Folder => RuleScope::Folder,
            ReachArg::Clone => RuleScope::Clone,
            ReachArg::Personal => RuleScope::Personal,
        };
        let folder = match &self.folder {
            Some(folder) => context.resolve_folder(folder)?,
            None => context.prefix.clone(),
        };
        Ok((scope, folder))
    }

    /// The file that is meant.
    pub fn target(&self, context: &Context) -> Result<RuleTarget> {
        let usual = context.args.preferences.add.reach;
        let (scope, folder) = self.place(context, usual.unwrap_or(ReachArg::Team))?;
        let target = RuleTarget::find(&context.snapshot, scope, &folder)?;
        if scope == RuleScope::Personal && target.contents.is_none() && !self.create {
            bail!(
                "you have no ignore file of your own yet: {} is not there\n  --create makes it",
                target.path
            );
        }
        Ok(target)
    }
}
