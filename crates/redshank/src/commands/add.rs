use super::write::{Proposal, Rewrite};
use crate::cli::Format;
use crate::context::Context;
use crate::render::{Align, Cell, Paint, Table, count, shown};
use crate::{put, putln};
use anyhow::{Result, bail};
use bstr::{BStr, BString, ByteSlice};
use clap::{Args, ValueEnum};
use redshank_core::edit::{Target, Width, contents_only};
use redshank_core::effect::Amount;
use redshank_core::rules::{Reach, RuleList, Ruling};
use redshank_core::tree::{Entry, Oracle, Overlay, Scope, State, Tree};
use redshank_pattern::Key;
use std::ffi::OsString;
use std::process::ExitCode;

/// Write a rule where it belongs, after showing its effect
#[derive(Args)]
pub struct Add {
    /// Patterns, as they are to stand in an ignore file; one that starts with `-` goes behind `--`
    #[arg(required_unless_present_any = ["like", "contents_of"])]
    patterns: Vec<String>,
    /// Make the pattern from this file
    #[arg(long, value_name = "FILE", conflicts_with = "patterns")]
    like: Option<OsString>,
    /// How much a pattern made from a file catches
    #[arg(long, value_enum, requires = "like")]
    width: Option<WidthArg>,
    /// Keep this folder and drop what comes to lie in it
    #[arg(long, value_name = "FOLDER", conflicts_with_all = ["patterns", "like", "reach", "folder"])]
    contents_of: Option<OsString>,
    #[command(flatten)]
    reach: ReachArgs,
    /// Write what is shown
    #[arg(long)]
    write: bool,
}

/// Which file of rules.
#[derive(Args)]
pub struct ReachArgs {
    /// Who the rule is for: everyone; everyone, in one folder; only this clone; only you, in every
    /// repository
    #[arg(long = "for", value_enum, value_name = "REACH", default_value = "team")]
    reach: ReachArg,
    /// The folder, for `--for folder`; without it, the one you are in
    #[arg(long = "in", value_name = "FOLDER")]
    folder: Option<OsString>,
    /// Make your own ignore file if you have none yet
    #[arg(long)]
    create: bool,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum ReachArg {
    Team,
    Folder,
    Clone,
    Personal,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum WidthArg {
    /// This one file
    File,
    /// Everything of that name
    Name,
    /// Every file with that extension
    Type,
    /// The folder that it lies in
    Folder,
}

impl From<WidthArg> for Width {
    fn from(width: WidthArg) -> Self {
        match width {
            WidthArg::File => Self::File,
            WidthArg::Name => Self::Name,
            WidthArg::Type => Self::Type,
            WidthArg::Folder => Self::Folder,
        }
    }
}

impl ReachArgs {
    /// The file that is meant.
    pub fn target(&self, context: &Context) -> Result<Target> {
        let reach = match self.reach {
            _ if self.folder.is_some() => Reach::Folder,
            ReachArg::Team => Reach::Team,
            ReachArg::Folder => Reach::Folder,
            ReachArg::Clone => Reach::Clone,
            ReachArg::Personal => Reach::Personal,
        };
        let folder = match &self.folder {
            Some(folder) => context.resolve_folder(folder)?,
            None => context.prefix.clone(),
        };
        let reach = if reach == Reach::Folder && folder.is_empty() {
            Reach::Team
        } else {
            reach
        };
        let target = Target::of(&context.place, reach, folder.as_bstr())?;
        if reach == Reach::Personal && target.contents.is_none() && !self.create {
            bail!(
                "you have no ignore file of your own yet: {} is not there\n  --create makes it",
                target.path
            );
        }
        Ok(target)
    }
}

impl Add {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        context.recover(self.write || context.has_somebody())?;
        if let Some(folder) = &self.contents_of {
            let folder = context.resolve_folder(folder)?;
            if folder.is_empty() {
                bail!(
                    "that is the top folder; nothing would be left to commit\n  name a folder inside it"
                );
            }
            let target = Target::of(&context.place, Reach::Folder, folder.as_bstr())?;
            return self.write(context, target, contents_only());
        }
        let target = self.reach.target(context)?;
        let patterns = match &self.like {
            Some(file) => match self.pattern_like(context, &target, file)? {
                Some(pattern) => vec![pattern],
                None => return Ok(ExitCode::SUCCESS),
            },
            None => self
                .patterns
                .iter()
                .map(|pattern| pattern.as_str().into())
                .collect(),
        };
        self.write(context, target, patterns)
    }

    /// Writes what is not there yet and not covered.
    fn write(&self, context: &Context, target: Target, patterns: Vec<BString>) -> Result<ExitCode> {
        let tree = Tree::walk(&context.place, &Scope::default())?;
        let mut new = Vec::new();
        for pattern in patterns {
            if target.holds(pattern.as_bstr()) {
                note(
                    context,
                    &format!("`{}` stands in {} already", pattern, target.source.shown),
                )?;
            } else if let Some(by) = covered(context, &tree, &target, pattern.as_bstr())? {
                note(context, &format!("`{pattern}` is covered already by {by}"))?;
            } else {
                new.push(pattern);
            }
        }
        if new.is_empty() {
            note(context, "nothing to write")?;
            return Ok(ExitCode::SUCCESS);
        }
        let after = target.with(&new);
        let rules = new
            .iter()
            .map(|pattern| pattern.to_str_lossy().into_owned())
            .collect();
        let files = vec![Rewrite { target, after }];
        Proposal {
            command: "add",
            told: self.write,
            tree: &tree,
            rules,
            files,
            notes: Vec::new(),
        }
        .carry_out(context)?;
        Ok(ExitCode::SUCCESS)
    }

    /// The pattern for a file, by the width that is asked for or picked; `None` if the widths were
    /// only shown.
    fn pattern_like(
        &self,
        context: &Context,
        target: &Target,
        file: &OsString,
    ) -> Result<Option<BString>> {
        let path = context.resolve(file)?;
        let Some(below) = path
            .strip_prefix(target.source.base.as_slice())
            .map(ByteSlice::as_bstr)
        else {
            bail!(
                "{} lies outside {}\n  choose another --in",
                shown(path.as_bstr()),
                shown(target.source.base.as_bstr())
            );
        };
        if let Some(width) = self.width {
            return match Width::from(width).pattern(below) {
                Some(pattern) => Ok(Some(pattern)),
                None => bail!(
                    "{} has no pattern of that width\n  choose another --width",
                    shown(path.as_bstr())
                ),
            };
        }
        let tree = Tree::walk(&context.place, &Scope::default())?;
        let offers: Vec<(Width, BString)> = Width::ALL
            .into_iter()
            .filter_map(|width| Some((width, width.pattern(below)?)))
            .collect();
        let mut table = Table::new(&[Align::Whole, Align::Whole, Align::Right, Align::Right]);
        for (width, pattern) in &offers {
            let amount = caught(context, &tree, target, pattern.as_bstr());
            table.row([
                Cell::from(word(*width).to_owned()),
                Cell::painted(Paint::Type, shown(pattern.as_bstr())),
                count(amount.files).into(),
                amount.size.to_string().into(),
            ]);
        }
        let rows = table.text();
        if !context.has_somebody() {
            if context.asked.format != Format::Text {
                bail!("which of the widths?\n  say --width file, name, type or folder");
            }
            put!("{}", rows)?;
            putln!(
                "nothing was written; {} picks one",
                Paint::Type.on("--width")
            )?;
            return Ok(None);
        }
        let plain = anstream::adapter::strip_str(&rows).to_string();
        let items: Vec<&str> = plain.lines().collect();
        let theme = dialoguer::theme::SimpleTheme;
        let picked = dialoguer::Select::with_theme(&theme)
            .with_prompt("How much of it")
            .items(&items)
            .default(0)
            .interact()?;
        Ok(offers.into_iter().nth(picked).map(|(_, pattern)| pattern))
    }
}

fn note(context: &Context, text: &str) -> Result<()> {
    if context.for_people() {
        putln!("{}", shown(text.as_bytes().as_bstr()))?;
    } else {
        crate::eputln!("{}", shown(text.as_bytes().as_bstr()));
    }
    Ok(())
}

fn word(width: Width) -> &'static str {
    match width {
        Width::File => "this file",
        Width::Name => "this name anywhere",
        Width::Type => "this type",
        Width::Folder => "this folder",
    }
}

/// The candidates that a pattern would keep out.
fn caught(context: &Context, tree: &Tree, target: &Target, pattern: &BStr) -> Amount {
    let list = RuleList::parse(target.source.clone(), pattern, context.place.case());
    Amount::of(
        tree.in_state(State::Candidate)
            .filter(|entry| matched(&list, entry.path.as_bstr())),
    )
}

/// Whether the only rule of a list matches a path or a folder above it.
fn matched(list: &RuleList, path: &BStr) -> bool {
    let Some(below) = path
        .strip_prefix(list.source.base.as_slice())
        .map(ByteSlice::as_bstr)
    else {
        return false;
    };
    list.rules().iter().any(|rule| rule.reaches(below))
}

/// The rule that keeps out all that a pattern matches, if it matches something and one rule does. A
/// pattern that names one path counts as matching that, even where nothing is.
fn covered(
    context: &Context,
    tree: &Tree,
    target: &Target,
    pattern: &BStr,
) -> Result<Option<String>> {
    let list = RuleList::parse(target.source.clone(), pattern, context.place.case());
    let Some(rule) = list.rules().first().filter(|rule| !rule.negated) else {
        return Ok(None);
    };
    let ruling = match rule.glob().key() {
        Key::Whole(path) if rule.anchored => {
            let path = [target.source.base.as_slice(), path].concat();
            Oracle::new(&context.place, Overlay::new())?
                .ask(path.as_bstr())?
                .ruling
        }
        _ => {
            let is_matched = |entry: &&Entry| {
                entry.state != State::Tracked && matched(&list, entry.path.as_bstr())
            };
            let mut rulings = tree
                .entries
                .iter()
                .filter(is_matched)
                .map(|entry| entry.ruling.as_ref());
            let first = rulings.next().flatten();
            first
                .filter(|first| {
                    rulings.all(|other| other.is_some_and(|other| other.id() == first.id()))
                })
                .cloned()
        }
    };
    // A rule for one person doesn't cover one for the team.
    let wider = |ruling: &Ruling| {
        ruling.ignores() && ruling.source().reach as u8 <= target.source.reach as u8
    };
    let told = |by: Ruling| {
        format!(
            "{}, line {}: `{}`",
            by.source().shown,
            by.rule().line,
            by.excerpt()
        )
    };
    Ok(ruling.filter(wider).map(told))
}
