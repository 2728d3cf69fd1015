use crate::attribute_lines;
use crate::rule_args::{RuleArgs, as_pattern, in_vain, losses};
use anyhow::{Context as _, Result, bail};
use bstr::{BString, ByteSlice};
use clap::{Args, ValueEnum};
use redshank_changes::{Edit, RuleTarget};
use redshank_context::{Context, GlobalArgs, Proposal, ask, path_values};
use redshank_files::FileKind;
use redshank_output::{self as output, Align, Cell, Table, put, putln};
use redshank_report::{DOCUMENT, EffectOut, Outcome, OutputFormat};
use redshank_rules::Breadth;
use redshank_rules::ignore_file::contents_only;
use redshank_rules::{RuleScope, Source};
use redshank_templates::is_keep_file;
use redshank_text::{self as text, Paint, count, files, shown};
use redshank_worktree::Overlay;
use redshank_worktree::attributes::AttributeEffect;
use redshank_worktree::coverage::Proposed;
use redshank_worktree::effect::Effect;
use std::ffi::OsString;
use std::process::ExitCode;

/// Add a rule where it belongs, after showing its effect
#[derive(Args)]
pub struct Add {
    /// Patterns, as they are to be in an ignore file; one that starts with `-` goes behind `--`
    #[arg(required_unless_present_any = ["like", "contents_of"])]
    patterns: Vec<String>,
    /// Make the pattern from this file
    #[arg(long, value_name = "FILE", conflicts_with = "patterns", add = path_values::paths())]
    like: Option<OsString>,
    /// How much a pattern made from a file matches
    #[arg(long, value_enum, requires = "like")]
    width: Option<WidthArg>,
    /// Keep this folder and ignore its contents
    #[arg(
        long,
        value_name = "FOLDER",
        conflicts_with_all = ["patterns", "like", "reach", "folder"],
        add = path_values::folders()
    )]
    contents_of: Option<OsString>,
    #[command(flatten)]
    rules: RuleArgs,
    /// What is given are lines of an attribute file, such as `*.png -text`
    #[arg(long, conflicts_with_all = ["like", "contents_of"])]
    attributes: bool,
    /// Write what is shown
    #[arg(long)]
    write: bool,
    /// How the answer is written
    #[arg(long, value_parser = DOCUMENT.parser(), default_value = "text")]
    format: OutputFormat,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum WidthArg {
    /// This one file
    File,
    /// Everything of that name
    Name,
    /// Every file with that extension
    Type,
    /// The folder that it is in
    Folder,
}

impl From<WidthArg> for Breadth {
    fn from(width: WidthArg) -> Self {
        match width {
            WidthArg::File => Self::File,
            WidthArg::Name => Self::Name,
            WidthArg::Type => Self::Type,
            WidthArg::Folder => Self::Folder,
        }
    }
}

impl Add {
    /// Writes the rules, or shows what they would do.
    ///
    /// # Errors
    /// If the working tree can't be read, or an argument doesn't fit it.
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        context.recover(self.write || context.is_interactive())?;
        if self.attributes {
            let target = self.rules.attributes_target(&context)?;
            return attribute_lines::add(&context, self.format, target, &self.patterns, self.write);
        }
        if let Some(folder) = &self.contents_of {
            let folder = context.resolve_folder(folder)?;
            if folder.is_top() {
                bail!(
                    "that is the top folder; nothing would be left to commit\n  name a folder \
                     inside it"
                );
            }
            let target = RuleTarget::find(&context.snapshot, RuleScope::Folder, &folder)?;
            // What keeps the folder is no content.
            let names = context.snapshot.root.list(&folder).unwrap_or_default();
            let kept = names
                .into_iter()
                .filter(|(name, _)| is_keep_file(name.as_bstr()));
            let kept = kept.map(|(name, _)| [b"!", name.as_slice()].concat().into());
            let patterns = contents_only().into_iter().chain(kept).collect();
            return self.write(&context, target, patterns);
        }
        let target = self.rules.target(&context)?;
        let patterns = match &self.like {
            Some(file) => match self.pattern_like(&context, &target, file)? {
                Some(pattern) => vec![pattern],
                None => return Ok(ExitCode::SUCCESS),
            },
            None => {
                let patterns = self.patterns.iter().map(|typed| as_pattern(typed));
                patterns
                    .map(|one| Ok(one?.into()))
                    .collect::<Result<Vec<BString>>>()?
            }
        };
        self.write(&context, target, patterns)
    }

    /// Writes what is not there yet and not covered.
    fn write(
        &self,
        context: &Context,
        target: RuleTarget,
        patterns: Vec<BString>,
    ) -> Result<ExitCode> {
        let snapshot = &context.snapshot;
        let mut new = Vec::new();
        for pattern in patterns {
            let proposed = Proposed::new(snapshot, &target.source, &pattern);
            if target.holds(pattern.as_bstr()) {
                let file = &target.source.shown;
                note(context, &format!("`{pattern}` is already in {file}"))?;
            } else if let Some(by) = proposed.covered_by(snapshot.tree()?)? {
                let by = text::ruling(&by);
                note(context, &format!("`{pattern}` is covered already by {by}"))?;
            } else {
                new.push(pattern);
            }
        }
        if new.is_empty() {
            note(context, "nothing to write")?;
            if !context.for_people {
                let nothing = Outcome {
                    written: false,
                    effect: Effect::compute(snapshot, snapshot.tree()?, Overlay::new(), &[])?,
                    attributes: AttributeEffect::default(),
                    notes: Vec::new(),
                };
                output::json(&EffectOut::new(&snapshot.top, Vec::new(), nothing))?;
            }
            return Ok(ExitCode::SUCCESS);
        }
        let after = target.with(&new);
        let notes = notes(context, &target.source, &after, &new)?;
        let outcome = Proposal {
            command: "add",
            write: self.write,
            on_rules: true,
            edits: vec![Edit::of_rules(target, after)],
            notes,
            summary: None,
        }
        .carry_out(context)?;
        if !context.for_people {
            let rules = new.iter().map(|one| one.to_str_lossy().into_owned());
            output::json(&EffectOut::new(&snapshot.top, rules.collect(), outcome))?;
        }
        Ok(ExitCode::SUCCESS)
    }

    /// The pattern for a file, by the breadth that is asked for or picked; `None` if the patterns
    /// were only shown.
    fn pattern_like(
        &self,
        context: &Context,
        target: &RuleTarget,
        file: &OsString,
    ) -> Result<Option<BString>> {
        let mut path = context.resolve(file)?;
        match context.snapshot.root.kind(&path) {
            // A pattern for a folder ends in a slash.
            Some(FileKind::Folder) => path = path.as_folder(),
            Some(_) => {}
            None => note(
                context,
                &format!(
                    "{} is not there yet; a rule for when it comes",
                    shown(&path)
                ),
            )?,
        }
        let base = target.source.base.as_bstr();
        let Some(below) = path.strip_prefix(base.as_bytes()) else {
            bail!(
                "{} is outside {}\n  choose another --in",
                shown(path.as_bstr()),
                shown(base)
            );
        };
        let below = below.as_bstr();
        if let Some(width) = self.width {
            return match Breadth::from(width).pattern(below) {
                Some(pattern) => Ok(Some(pattern)),
                None => bail!(
                    "{} has no pattern of that width\n  choose another --width",
                    shown(path.as_bstr())
                ),
            };
        }
        let offers = Breadth::ALL.into_iter();
        let offers: Vec<(Breadth, BString)> = offers
            .filter_map(|breadth| Some((breadth, breadth.pattern(below)?)))
            .collect();
        let rows = table_of(context, target, &offers, path.is_folder())?;
        if context.is_interactive() {
            return Ok(Some(pick(&rows, offers)?));
        }
        if !context.for_people {
            bail!("how wide should the rule be?\n  use --width file, name, type or folder");
        }
        put!("{rows}")?;
        let width = Paint::Type.on("--width");
        putln!("nothing was written; {width} picks one")?;
        Ok(None)
    }
}

/// What there is to know of new rules.
fn notes(context: &Context, source: &Source, after: &[u8], new: &[BString]) -> Result<Vec<String>> {
    let snapshot = &context.snapshot;
    let overlay = Overlay::from([(source.shown.clone(), after.to_vec())]);
    let mut notes = in_vain(context, source, &overlay, new)?;
    let effect = Effect::compute(snapshot, snapshot.tree()?, overlay, &[])?;
    notes.extend(losses(context, &effect)?);
    let tracked = new.iter().map(|pattern| {
        let proposed = Proposed::new(snapshot, source, pattern);
        Ok((pattern, proposed.tracked(snapshot.tree()?)))
    });
    for (pattern, tracked) in tracked.collect::<Result<Vec<_>>>()? {
        if tracked > 0 {
            let them = if tracked == 1 { "it" } else { "them" };
            notes.push(format!(
                "`{}` does nothing about {} that git tracks already; `redshank untrack --ignored` \
                 stops tracking {them}",
                text::pattern(pattern.as_bstr()),
                files(tracked)
            ));
        }
    }
    Ok(notes)
}

fn table_of(
    context: &Context,
    target: &RuleTarget,
    offers: &[(Breadth, BString)],
    is_folder: bool,
) -> Result<String> {
    let tree = context.snapshot.tree()?;
    let columns = [
        Align::Whole,
        Align::Whole,
        Align::Right,
        Align::Right,
        Align::Left,
    ];
    let mut table = Table::new(&columns);
    for (breadth, pattern) in offers {
        let proposed = Proposed::new(&context.snapshot, &target.source, pattern);
        let stats = proposed.candidates(tree);
        let tracked = match proposed.tracked(tree) {
            0 => String::new(),
            tracked => format!("and {} without effect: tracked already", files(tracked)),
        };
        table.row([
            Cell::from(word(*breadth, is_folder).to_owned()),
            Cell::painted(Paint::Type, shown(pattern.as_bstr())),
            count(stats.files).into(),
            stats.size.to_string().into(),
            Cell::painted(Paint::Quiet, tracked),
        ]);
    }
    Ok(table.text())
}

/// The keys that pick a width, narrow ones first.
const WIDTHS: &[ask::Answer] = &[
    ('1', "the first"),
    ('2', "the second"),
    ('3', "the third"),
    ('4', "the fourth"),
];

/// Lets a person pick one.
fn pick(rows: &str, offers: Vec<(Breadth, BString)>) -> Result<BString> {
    for (row, (key, _)) in rows.lines().zip(WIDTHS) {
        putln!(" {}{row}", Paint::Head.on(key))?;
    }
    let picked = ask::one_of("How much of it? (Enter for 1)", &WIDTHS[..offers.len()])?;
    let picked = picked.context("nothing was chosen, and nothing written")?;
    let picked = offers
        .into_iter()
        .zip(WIDTHS)
        .find(|(_, (key, _))| *key == picked);
    Ok(picked.map(|((_, pattern), _)| pattern).unwrap_or_default())
}

fn note(context: &Context, text: &str) -> Result<()> {
    let text = shown(text.as_bytes().as_bstr());
    if context.for_people {
        putln!("{text}")?;
    } else {
        redshank_output::eputln!("{text}");
    }
    Ok(())
}

fn word(breadth: Breadth, is_folder: bool) -> &'static str {
    match (breadth, is_folder) {
        (Breadth::File, false) => "this file",
        (Breadth::File, true) => "this folder",
        (Breadth::Name, _) => "this name anywhere",
        (Breadth::Type, _) => "this type",
        (Breadth::Folder, false) => "this folder",
        (Breadth::Folder, true) => "the folder it is in",
    }
}
