use crate::attribute_lines;
use crate::rule_args::{as_pattern, in_vain, losses};
use crate::why::Answers;
use anyhow::Result;
use bstr::BString;
use clap::Args;
use redshank_changes::RuleTarget;
use redshank_context::{Context, GlobalArgs, found, path_values};
use redshank_output::{self as output, wrapped};
use redshank_report::{DOCUMENT, EffectOut, OutputFormat, Report};
use redshank_rules::RepoPathBuf;
use redshank_rules::{RuleScope, Source};
use redshank_text::{self as text, Paint, files};
use redshank_worktree::coverage::Proposed;
use redshank_worktree::effect::Effect;
use redshank_worktree::{Overlay, Verdicts};
use std::ffi::OsString;
use std::path::Path;
use std::process::ExitCode;

/// Show what patterns would do, without writing them
#[derive(Args)]
pub struct Try {
    /// Patterns, as they would be in an ignore file; `-` reads them from the standard input, one
    /// a line
    #[arg(required = true)]
    patterns: Vec<String>,
    /// Try them on these paths only, existing or not; exits with 1 if one of them is not ignored
    #[arg(long, value_name = "PATH", num_args = 1.., add = path_values::paths())]
    on: Vec<OsString>,
    /// The folder whose ignore file they would be in; without it, the top
    #[arg(long = "in", value_name = "FOLDER", add = path_values::folders())]
    folder: Option<OsString>,
    /// Try lines of an attribute file, such as `*.png -text`
    #[arg(long, conflicts_with = "on")]
    attributes: bool,
    /// How the answer is written
    #[arg(long, value_parser = DOCUMENT.parser(), default_value = "text")]
    format: OutputFormat,
}

impl Try {
    /// Shows what rules would do; nothing is written.
    ///
    /// # Errors
    /// If the working tree can't be read, or an argument doesn't fit it.
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        let snapshot = &context.snapshot;
        let folder = match &self.folder {
            Some(folder) => context.resolve_folder(folder)?,
            None => RepoPathBuf::default(),
        };
        if self.attributes {
            let scope = if folder.is_top() {
                RuleScope::Team
            } else {
                RuleScope::Folder
            };
            let target = RuleTarget::find_attributes(snapshot, scope, &folder)?;
            return attribute_lines::attempt(&context, self.format, target, &self.typed()?);
        }
        let patterns = self.patterns()?;
        let added = patterns.join("\n");
        let file = snapshot.ignore_file(&folder)?;
        let mut contents = file.map_or_else(Vec::new, |file| file.contents.clone());
        if !contents.is_empty() && !contents.ends_with(b"\n") {
            contents.push(b'\n');
        }
        contents.extend_from_slice(added.as_bytes());
        let source = Source::of_folder(folder);
        let overlay = Overlay::from([(source.shown.clone(), contents)]);
        if !self.on.is_empty() {
            return self.on_paths(&context, overlay);
        }
        let tree = snapshot.tree()?;
        let proposed = Proposed::new(snapshot, &source, added.as_bytes());
        let mut in_vain = in_vain(&context, &source, &overlay, &patterns)?;
        let effect = Effect::compute(snapshot, tree, overlay, &[])?;
        in_vain.extend(losses(&context, &effect)?);
        let keepers = proposed.keepers(tree);
        self.format.print(&Tried {
            top: &snapshot.top,
            effect: &effect,
            patterns: &patterns,
            in_vain,
            keepers: keepers.iter().map(text::ruling).collect(),
            tracked: proposed.tracked(tree),
        })?;
        context.say_unread(&tree.unread);
        Ok(ExitCode::SUCCESS)
    }

    fn patterns(&self) -> Result<Vec<String>> {
        let typed = self.typed()?;
        if self.patterns == ["-"] {
            return Ok(typed);
        }
        typed.iter().map(|typed| as_pattern(typed)).collect()
    }

    /// The arguments, or the lines of the standard input.
    fn typed(&self) -> Result<Vec<String>> {
        if self.patterns != ["-"] {
            return Ok(self.patterns.clone());
        }
        let text = std::io::read_to_string(std::io::stdin())?;
        Ok(text.lines().map(str::to_owned).collect())
    }

    /// The verdicts on single paths, with the patterns in force.
    fn on_paths(&self, context: &Context, overlay: Overlay) -> Result<ExitCode> {
        let verdicts = Verdicts::new(&context.snapshot, overlay)?;
        let mut answers = Answers::new(&verdicts);
        for path in &self.on {
            let given = BString::from(redshank_files::path_bytes(Path::new(path)).into_owned());
            answers.ask(context, given)?;
        }
        if !context.args.quiet {
            self.format.print(&&answers)?;
        }
        Ok(found(!answers.are_all_kept_out()))
    }
}

/// What patterns would do.
struct Tried<'a> {
    top: &'a Path,
    effect: &'a Effect,
    patterns: &'a [String],
    /// Which of them would do nothing, and why.
    in_vain: Vec<String>,
    /// The rules that ignore already what they match.
    keepers: Vec<String>,
    /// How many tracked files they match.
    tracked: u64,
}

impl Report for Tried<'_> {
    type Document = EffectOut;

    fn text(&self) -> Result<String> {
        let mut text = output::effect(self.effect);
        if self.effect.kept_out.is_empty() && self.effect.let_in.is_empty() {
            let nothing = "changes nothing: no untracked file is decided differently";
            text += &format!("{}\n", Paint::Warn.on(nothing));
            for keeper in &self.keepers {
                text += &format!("covered already by {keeper}\n");
            }
        }
        for sentence in &self.in_vain {
            text += &format!("{}\n", Paint::Warn.on(wrapped(sentence)));
        }
        if self.tracked > 0 {
            let tracked = files(self.tracked);
            let in_vain = format!("{tracked} matched without effect: tracked already");
            text += &format!("{}\n", Paint::Warn.on(in_vain));
        }
        Ok(text + &format!("{}\n", Paint::Quiet.on("nothing was written")))
    }

    fn document(&self) -> EffectOut {
        EffectOut {
            notes: self.in_vain.clone(),
            ..EffectOut::of_effect(self.top, self.patterns.to_vec(), self.effect)
        }
    }
}
