use anyhow::{Result, bail};
use bstr::ByteSlice;
use clap::{Args, ValueEnum};
use redshank_changes::{Edit, RuleTarget};
use redshank_context::{Context, GlobalArgs, Proposal, values};
use redshank_output::{self as output, Align, Cell, Table};
use redshank_report::{DOCUMENT, EffectOut, OutputFormat};
use redshank_rules::ignore_file::blocks;
use redshank_rules::{ATTRIBUTE_FILE, IGNORE_FILE, RepoPath, RuleScope};
use redshank_templates::{
    self as templates, AttributeDraft, Collection, DraftOptions, MEMORY_FILE, TemplateRequest,
    WhyLeftOut, is_to_come, recognise,
};
use redshank_text::{self as text, Paint, count, shown};
use redshank_worktree::settings::{Choices, Explain, Layout};
use std::process::ExitCode;

/// Write ignore rules for the projects found, fitted to their folders
#[derive(Args)]
pub struct Draft {
    /// Templates, as NAME or NAME@FOLDER; without any, those of the projects found
    #[arg(value_name = "NAME[@FOLDER]", add = values::templates_with_folders())]
    names: Vec<String>,
    /// Update the blocks that are there; what you changed or removed stays that way
    #[arg(long)]
    refresh: bool,
    /// Move lines of yours that a template has, too, into its block
    #[arg(long)]
    take_over: bool,
    /// Where the rules go; redshank.toml remembers it
    #[arg(long, value_enum)]
    layout: Option<LayoutArg>,
    /// What is said of each rule in the file: its reason, a heading for each few, or nothing;
    /// redshank.toml remembers it
    #[arg(long, value_enum)]
    explain: Option<ExplainArg>,
    /// Choose a variant; redshank.toml remembers it
    #[arg(long = "variant", value_name = "TEMPLATE/VARIANT", add = values::variants())]
    variants: Vec<String>,
    /// Leave out a template's rule; redshank.toml remembers it
    #[arg(long, value_name = "PATTERN", allow_hyphen_values = true)]
    without: Vec<String>,
    /// Leave out a project type that was found, this time
    #[arg(long, value_name = "NAME", conflicts_with = "names", add = values::templates())]
    except: Vec<String>,
    /// Write git's attributes for them, too: line endings, differences, large files
    #[arg(long)]
    attributes: bool,
    /// Write what is shown
    #[arg(long)]
    write: bool,
    /// How the answer is written
    #[arg(long, value_parser = DOCUMENT.parser(), default_value = "text")]
    format: OutputFormat,
}

#[derive(Clone, Copy, ValueEnum)]
enum LayoutArg {
    /// All into the ignore file at the top
    Top,
    /// Each project's into its own folder
    Folders,
}

#[derive(Clone, Copy, ValueEnum)]
enum ExplainArg {
    /// The reason of each rule
    Full,
    /// A heading for each few
    Brief,
    /// Nothing
    None,
}

impl Draft {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        context.recover(self.write || context.is_interactive())?;
        let snapshot = &context.snapshot;
        let settings = snapshot.settings()?;
        let all = Collection::load(snapshot)?;
        let mut choices = self.choices(&settings.draft, &all)?;
        let coming = self.coming(&context)?;
        let mut known = Vec::new();
        for folder in std::mem::take(&mut choices.coming) {
            if is_to_come(snapshot, RepoPath::new(&folder))? {
                known.push(folder);
            }
        }
        choices.coming = known;
        for folder in &coming {
            if !choices.coming.contains(folder) {
                choices.coming.push(folder.clone());
            }
        }
        let attributes = self.attributes(&context, &all)?;
        let draft = self.compose(&context, all, &choices)?;
        let mut notes = self.notes(&draft);
        notes.extend(coming.iter().map(|folder| {
            let folder = shown(folder.as_bytes().as_bstr());
            format!("{folder} isn't there yet; its rules are ready for it")
        }));
        let has_attributes = snapshot.root.is_there(RepoPath::new(ATTRIBUTE_FILE));
        let is_asked = !draft.added.is_empty() || !self.names.is_empty();
        if attributes.is_none() && !has_attributes && is_asked {
            notes.push(
                "line endings, differences and large files: `redshank draft --attributes`"
                    .to_owned(),
            );
        }
        let mut summary = summary(&draft);
        let mut edits = Vec::new();
        for (folder, file) in draft.files {
            let target = RuleTarget::find(snapshot, RuleScope::Folder, &folder)?;
            edits.push(Edit::of_rules(target, file.after));
        }
        if let Some(attributes) = attributes {
            notes.extend(attribute_notes(&attributes));
            summary += &attribute_summary(&attributes);
            let target = RuleTarget::find_attributes(snapshot, RuleScope::Team, RepoPath::top())?;
            edits.push(Edit::of_attributes(target, attributes.after));
        }
        if let Some((before, after)) = draft.memory {
            edits.push(Edit::of_memory(MEMORY_FILE, before, after));
        }
        if choices != settings.draft {
            edits.push(Edit::of_settings(
                settings,
                settings.with_choices(&choices)?,
            ));
        }
        let outcome = Proposal {
            command: "draft",
            write: self.write,
            on_rules: true,
            edits,
            notes,
            summary: Some(summary),
        }
        .carry_out(&context)?;
        if !context.for_people {
            let rules = draft
                .added
                .iter()
                .map(|rule| rule.to_str_lossy().into_owned());
            output::json(&EffectOut::new(&snapshot.top, rules.collect(), outcome))?;
        }
        Ok(ExitCode::SUCCESS)
    }

    /// The folders that are asked for and aren't there yet.
    fn coming(&self, context: &Context) -> Result<Vec<String>> {
        let mut coming = Vec::new();
        for text in &self.names {
            if let Some((_, folder)) = text.split_once('@') {
                let folder = context.resolve(folder.as_ref())?.as_folder();
                coming.extend(folder.to_str().ok().map(str::to_owned));
            }
        }
        coming.retain(|folder| !context.snapshot.root.is_there(RepoPath::new(folder).bare()));
        Ok(coming)
    }

    /// The attribute file, where that is asked for, or is to be brought up to date.
    fn attributes(&self, context: &Context, all: &Collection) -> Result<Option<AttributeDraft>> {
        let snapshot = &context.snapshot;
        let has_block = || -> Result<bool> {
            let target = RuleTarget::find_attributes(snapshot, RuleScope::Team, RepoPath::top())?;
            Ok(AttributeDraft::has_block(
                &target.contents.unwrap_or_default(),
            ))
        };
        if !(self.attributes || self.refresh && has_block()?) {
            return Ok(None);
        }
        let mut survey = recognise(snapshot, snapshot.tree()?, all);
        for name in &self.except {
            survey.leave_out(&all.find(name)?.name);
        }
        let (mut requests, mut to_come) = (Vec::new(), Vec::new());
        for text in &self.names {
            requests.extend(request(context, all, text)?);
        }
        for text in requests_to_come(context)? {
            to_come.extend(request(context, all, &text)?);
        }
        let draft = AttributeDraft::compose(snapshot, all, &survey, &requests, &to_come)?;
        Ok(Some(draft))
    }

    /// How many rules it would write.
    pub(super) fn rules_to_come(&self, context: &Context) -> Result<usize> {
        let snapshot = &context.snapshot;
        let all = Collection::load(snapshot)?;
        let choices = self.choices(&snapshot.settings()?.draft, &all)?;
        Ok(self.compose(context, all, &choices)?.added.len())
    }

    fn compose(
        &self,
        context: &Context,
        all: Collection,
        choices: &Choices,
    ) -> Result<templates::Draft> {
        let snapshot = &context.snapshot;
        let collection = all.chosen(choices)?;
        let mut survey = recognise(snapshot, snapshot.tree()?, &collection);
        for name in &self.except {
            survey.leave_out(&collection.find(name)?.name);
        }
        let mut requests = Vec::new();
        for text in &self.names {
            requests.extend(request(context, &collection, text)?);
        }
        // What is asked for now holds for the blocks that are there, too.
        let known = &snapshot.settings()?.draft;
        let is_changed = *known
            != Choices {
                coming: known.coming.clone(),
                ..choices.clone()
            };
        let options = DraftOptions {
            layout: choices.layout,
            refresh: self.refresh || is_changed,
            move_blocks: self.layout.is_some(),
            take_over: self.take_over,
            explain: choices.explain,
        };
        Ok(templates::Draft::compose(
            snapshot, &survey, &requests, options,
        )?)
    }

    /// What the repository chose already, with what is asked for now.
    fn choices(&self, known: &Choices, all: &[templates::Template]) -> Result<Choices> {
        let mut choices = known.clone();
        if let Some(layout) = self.layout {
            choices.layout = match layout {
                LayoutArg::Top => Layout::Top,
                LayoutArg::Folders => Layout::Folders,
            };
        }
        if let Some(pattern) = self
            .without
            .iter()
            .find(|pattern| !all.iter().any(|one| one.has_rule(pattern)))
        {
            bail!(
                "no template has the rule `{pattern}`\n  write it as `redshank templates show \
                 NAME` does"
            );
        }
        if let Some(explain) = self.explain {
            choices.explain = match explain {
                ExplainArg::Full => Explain::Full,
                ExplainArg::Brief => Explain::Brief,
                ExplainArg::None => Explain::None,
            };
        }
        let new = |had: &[String], wanted: &[String]| -> Vec<String> {
            let new = wanted.iter().filter(|one| !had.contains(one));
            new.cloned().collect()
        };
        let variants = new(&known.variants, &self.variants);
        choices.variants.extend(variants);
        choices.without.extend(new(&known.without, &self.without));
        Ok(choices)
    }

    fn notes(&self, draft: &templates::Draft) -> Vec<String> {
        let mut notes = Vec::new();
        if draft.covered > 0 {
            notes.push(match draft.covered {
                1 => "1 rule is left out: the rules that are there cover it".to_owned(),
                many => format!("{many} rules are left out: the rules that are there cover them"),
            });
        }
        if draft.repeated > 0 && !self.take_over {
            let lines = if draft.repeated == 1 { "line" } else { "lines" };
            notes.push(format!(
                "templates have {} {lines} of yours, too; --take-over moves them into the blocks",
                draft.repeated
            ));
        }
        if !draft.retired.is_empty() {
            let rules: Vec<String> = draft
                .retired
                .iter()
                .map(|rule| format!("`{}`", shown(rule.as_bstr())))
                .collect();
            notes.push(format!(
                "no longer in their templates: {}",
                rules.join(", ")
            ));
        }
        for label in &draft.removed {
            notes.push(format!(
                "the folder of `{}` is gone, and its block goes",
                shown(label.as_bstr())
            ));
        }
        for label in &draft.left_behind {
            notes.push(format!(
                "the folder of `{}` is gone; --refresh removes its block",
                shown(label.as_bstr())
            ));
        }
        for label in &draft.stale {
            notes.push(format!(
                "there is a newer `{}`; --refresh brings it in",
                shown(label.as_bstr())
            ));
        }
        for left in &draft.left_out {
            let [label, pattern] = [&left.label, &left.pattern].map(|text| shown(text.as_bstr()));
            notes.push(format!(
                "`{label}` was edited and doesn't have `{pattern}`, so it stays out; \
                 `redshank add` brings it back"
            ));
        }
        for conflict in &draft.conflicts {
            let texts = [&conflict.label, &conflict.was, &conflict.now];
            let [label, was, now] = texts.map(|text| shown(text.as_bstr()));
            notes.push(format!(
                "conflict in `{label}`: you changed `{was}`, the template has `{now}` in its \
                 place; add what you want"
            ));
        }
        notes
    }
}

/// Whether nothing is at a folder's place.
/// `NAME@FOLDER` for each block of rules that was written for a folder to come.
fn requests_to_come(context: &Context) -> Result<Vec<String>> {
    let snapshot = &context.snapshot;
    let mut requests = Vec::new();
    let Some(file) = snapshot.ignore_file(RepoPath::top())? else {
        return Ok(requests);
    };
    for folder in &snapshot.settings()?.draft.coming {
        if !is_to_come(snapshot, RepoPath::new(folder))? {
            continue;
        }
        for block in blocks(&file.contents) {
            let label = block.label.to_str_lossy();
            if let Some((names, place)) = label.split_once(" in ")
                && place.trim_matches('/') == folder.trim_matches('/')
            {
                requests.extend(names.split(", ").map(|name| format!("{name}@{folder}")));
            }
        }
    }
    Ok(requests)
}

/// How many lines of attributes there are to be.
fn attribute_summary(draft: &AttributeDraft) -> String {
    let lines = count(draft.lines.len() as u64);
    format!(
        "  {} in {ATTRIBUTE_FILE}\n",
        Paint::Good.on(format!("{lines} lines of attributes"))
    )
}

/// The templates' lines of attributes that aren't written, by the reason.
fn attribute_notes(draft: &AttributeDraft) -> Vec<String> {
    let reasons = [
        WhyLeftOut::NoStorage,
        WhyLeftOut::TrackedWhole,
        WhyLeftOut::NoDriver,
        WhyLeftOut::TakenOut,
    ];
    let notes = reasons.into_iter().filter_map(|because| {
        let left_out = draft.left_out.iter();
        let left_out = left_out.filter(|left| left.because == because);
        let patterns: Vec<String> = left_out
            .map(|left| {
                let pattern = left.line.split(|byte| *byte == b' ').next();
                shown(pattern.unwrap_or_default().as_bstr())
            })
            .collect();
        let because = text::why_left_out(because);
        (!patterns.is_empty()).then(|| format!("left out ({because}): {}", patterns.join(" ")))
    });
    notes.collect()
}

/// How many rules come and go, for each block.
fn summary(draft: &templates::Draft) -> String {
    let mut table = Table::new(&[Align::Whole, Align::Right, Align::Right, Align::Left]);
    for change in draft.block_changes() {
        let many = |sign: &str, number: usize| match number {
            0 => String::new(),
            number => format!("{sign}{}", count(number as u64)),
        };
        table.row([
            shown(change.label.as_bstr()).into(),
            Cell::painted(Paint::Good, many("+", change.added)),
            Cell::painted(Paint::Bad, many("-", change.taken_out)),
            Cell::painted(Paint::Quiet, shown(&change.folder.join(IGNORE_FILE))),
        ]);
    }
    format!("{}\n{}", Paint::Head.on("rules, by block"), table.text())
}

/// Reads `NAME` or `NAME@FOLDER`.
fn request<'a>(
    context: &Context,
    collection: &'a Collection,
    text: &str,
) -> Result<Vec<TemplateRequest<'a>>> {
    let (name, folder) = match text.split_once('@') {
        Some((name, folder)) => (name, Some(context.resolve(folder.as_ref())?)),
        None => (text, None),
    };
    let folder = folder.as_deref();
    let requests = TemplateRequest::find(&context.snapshot, collection, name, folder)?;
    Ok(requests)
}
