use anyhow::{Result, bail};
use bstr::{BString, ByteSlice};
use clap::Args;
use redshank_changes::journal::{Entry, IfEdited, Journal, NotRestored, StandsAs};
use redshank_context::{Context, GlobalArgs, values};
use redshank_git::Taken;
use redshank_output::{Align, Cell, Table, eputln, put, putln, screen};
use redshank_report::{ChangeOut, JournalOut, LIST, Listing, OutputFormat, Report, root};
use redshank_text::{Paint, files, shown};
use std::path::Path;
use std::process::ExitCode;

/// Undo a change that Redshank made here
#[derive(Args)]
pub struct Undo {
    /// Which change, by its number; without it, the newest that isn't undone
    #[arg(add = values::changes())]
    change: Option<u32>,
    /// The changes there are
    #[arg(long, conflicts_with_all = ["change", "forget"])]
    list: bool,
    /// Forget the change, or all of them, and free what was kept
    #[arg(long)]
    forget: bool,
    /// All that the last `setup` did
    #[arg(long, conflicts_with_all = ["change", "list", "forget"])]
    setup: bool,
    /// Leave files as they are that were changed since, and undo the rest
    #[arg(long, conflicts_with_all = ["list", "forget"])]
    keep_mine: bool,
    /// Bring back what files held, even those that were changed since; what they hold now is kept
    /// beside the journal
    #[arg(long, conflicts_with_all = ["list", "forget", "keep_mine"])]
    replace: bool,
    /// How the answer is written
    #[arg(long, value_parser = LIST.parser(), default_value = "text")]
    format: OutputFormat,
}

impl Undo {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        let journal = Journal::open(&context.snapshot)?;
        if self.list {
            return self.list(&context, &journal);
        }
        if self.forget {
            return forget(&context, &journal, self.change);
        }
        if self.setup {
            return self.undo_setup(&context, &journal);
        }
        let change = journal.at(self.change)?;
        if args.yes {
            screen::ignore_broken_pipe();
        }
        if context.speaks() {
            put!("{}", text(&change, self.keep_mine))?;
        }
        if !may(&context, "Undo it?", "redshank undo --yes")? {
            return Ok(ExitCode::SUCCESS);
        }
        let if_edited = self.if_edited();
        // By its number: another may have come meanwhile.
        let undone = journal.undo(Some(change.number), if_edited)?;
        if !context.for_people {
            return self.list(&context, &journal);
        }
        say_undone(&context, &[&change], &undone.left)?;
        Ok(ExitCode::SUCCESS)
    }

    fn if_edited(&self) -> IfEdited {
        match (self.keep_mine, self.replace) {
            (true, _) => IfEdited::Keep,
            (_, true) => IfEdited::Replace,
            _ => IfEdited::Refuse,
        }
    }

    /// Undoes the changes of the last setup, the newest first.
    fn undo_setup(&self, context: &Context, journal: &Journal) -> Result<ExitCode> {
        let all = journal.list()?;
        let standing = all
            .iter()
            .rev()
            .filter(|change| !change.undone && change.own);
        let is_of_setup = |change: &&Entry| change.command.starts_with("setup: ");
        let of_setup: Vec<&Entry> = standing
            .skip_while(|change| !is_of_setup(change))
            .take_while(is_of_setup)
            .collect();
        if of_setup.is_empty() {
            bail!(
                "no change of a setup is left to undo\n  `redshank undo --list` shows all changes"
            );
        }
        if context.args.yes {
            screen::ignore_broken_pipe();
        }
        if context.speaks() {
            for change in &of_setup {
                put!("{}", text(change, self.keep_mine))?;
            }
        }
        if !may(context, "Undo all of them?", "redshank undo --setup --yes")? {
            return Ok(ExitCode::SUCCESS);
        }
        let mut left = Vec::new();
        for change in &of_setup {
            left.extend(journal.undo(Some(change.number), self.if_edited())?.left);
        }
        if !context.for_people {
            return self.list(context, journal);
        }
        say_undone(context, &of_setup, &left)?;
        Ok(ExitCode::SUCCESS)
    }

    fn list(&self, context: &Context, journal: &Journal) -> Result<ExitCode> {
        self.format.print_list(&Changes {
            top: &context.snapshot.top,
            changes: &journal.list()?,
        })?;
        Ok(ExitCode::SUCCESS)
    }
}

/// Whether somebody says so.
fn may(context: &Context, question: &str, typed: &str) -> Result<bool> {
    if !context.args.yes && !context.is_interactive() {
        bail!("no terminal to ask on, so nothing was changed\n  run `{typed}`");
    }
    let confirmed = context.confirm(question)?;
    if !confirmed {
        putln!("nothing was changed")?;
    }
    Ok(confirmed)
}

/// What is as it was before these changes, and what isn't: files that they wrote may have been
/// staged or committed since, and that isn't undone.
fn say_undone(context: &Context, changes: &[&Entry], left: &[NotRestored]) -> Result<()> {
    if !left.is_empty() {
        putln!("{}, but for this:", Paint::Good.on("undone"))?;
        left.iter()
            .try_for_each(|left| putln!("  {}", left_over(left)))?;
    } else if context.speaks() {
        putln!(
            "{}; on disk all is as it was before",
            Paint::Good.on("undone")
        )?;
    }
    let index = context.snapshot.index()?;
    let created = changes.iter().flat_map(|change| &change.created);
    let tracked: Vec<&BString> = created.filter(|path| index.holds(path.as_bstr())).collect();
    let Some(first) = tracked.first() else {
        return Ok(());
    };
    let what = match tracked.len() {
        1 => shown(first.as_bstr()),
        many => files(many as u64),
    };
    let was = if tracked.len() == 1 { "was" } else { "were" };
    putln!(
        "{} since, and that stays: {} shows it",
        Paint::Warn.on(format!("{what} {was} staged or committed")),
        Paint::Type.on("git status")
    )?;
    Ok(())
}

/// What is not as it was before.
fn left_over(left: &NotRestored) -> String {
    let path = Paint::Head.on(shown(left.path.as_bstr()));
    let how = match &left.how {
        StandsAs::Edited(Some(kept)) => {
            format!(
                "is as it was changed since; what it held before is in {}",
                kept.display()
            )
        }
        StandsAs::OtherMode => "keeps the permissions that it got since".to_owned(),
        StandsAs::Edited(None) => "is as it was changed since; it was not there before".to_owned(),
        StandsAs::Replaced(kept) => format!(
            "holds again what it held; what it held last is in {}",
            kept.display()
        ),
        StandsAs::NotStaged(Taken::StagedAnew) => {
            "stays as it is staged: that came after".to_owned()
        }
        StandsAs::NotStaged(Taken::OtherKind) => {
            "is not tracked again: something is staged in the place of it or of its folder"
                .to_owned()
        }
        StandsAs::NotStaged(Taken::Gone) => {
            "is not to be added any more: it isn't on disk".to_owned()
        }
        StandsAs::NotStaged(Taken::WithoutContents) => {
            "is not tracked again: git has cleared away what was staged".to_owned()
        }
    };
    format!("{path} {how}")
}

fn forget(context: &Context, journal: &Journal, only: Option<u32>) -> Result<ExitCode> {
    let kept = journal
        .list()?
        .iter()
        .filter(|entry| only.is_none_or(|only| only == entry.number))
        .count();
    if context.speaks() {
        putln!("{kept} changes are kept; none of them could be undone any longer")?;
    }
    let typed = only.map_or("redshank undo --forget --yes".to_owned(), |only| {
        format!("redshank undo --forget {only} --yes")
    });
    if may(context, "Forget them?", &typed)? {
        let left = journal.forget(only)?;
        left.iter()
            .for_each(|path| eputln!("not deleted, for it isn't ours: {}", path.display()));
    }
    Ok(ExitCode::SUCCESS)
}

/// The changes in the journal.
struct Changes<'a> {
    top: &'a Path,
    changes: &'a [Entry],
}

impl Report for Changes<'_> {
    type Document = JournalOut;

    fn text(&self) -> Result<String> {
        if self.changes.is_empty() {
            return Ok(format!("{}\n", Paint::Good.on("nothing was changed here")));
        }
        let columns = [Align::Right, Align::Whole, Align::Whole, Align::Left];
        let mut table = Table::new(&columns);
        for change in self.changes.iter().rev() {
            table.row([
                change.number.to_string().into(),
                moment(change.time).into(),
                format!("{} {}", change.command, status(change)).into(),
                Cell::painted(Paint::Quiet, what(change)),
            ]);
        }
        Ok(table.text())
    }

    fn document(&self) -> JournalOut {
        JournalOut {
            schema: "redshank.undo/1",
            root: root(self.top),
            changes: self.rows().collect(),
        }
    }
}

impl Listing for Changes<'_> {
    type Row = ChangeOut;

    fn rows(&self) -> impl Iterator<Item = ChangeOut> {
        self.changes.iter().map(ChangeOut::from)
    }
}

fn status(change: &Entry) -> &'static str {
    match change {
        Entry { undone: true, .. } => "undone",
        Entry { own: false, .. } => "somebody else's",
        Entry {
            cut_short: true, ..
        } => "cut short",
        _ => "",
    }
}

/// What a change did.
fn what(change: &Entry) -> String {
    let written = change.files.iter().map(|file| shown(file.as_bstr()));
    let moved = change.moved.iter();
    let moved = moved.map(|path| format!("{} moved away", shown(path.as_bstr())));
    let many = change.untracked as u64;
    let untracked = (many > 0).then(|| format!("{} no longer tracked", files(many)));
    let modes = change.modes.iter();
    let modes = modes.map(|path| format!("{} permissions", shown(path.as_bstr())));
    let all: Vec<String> = written.chain(moved).chain(modes).chain(untracked).collect();
    all.join(", ")
}

/// A time as the clock here shows it.
fn moment(seconds: u64) -> String {
    let then = jiff::Timestamp::from_second(seconds.cast_signed()).unwrap_or_default();
    then.to_zoned(jiff::tz::TimeZone::system())
        .strftime("%Y-%m-%d %H:%M")
        .to_string()
}

fn text(change: &Entry, keeps_edits: bool) -> String {
    let title = format!("change {} was made by", change.number);
    let mut text = format!(
        "{} {}\n",
        Paint::Head.on(title),
        Paint::Type.on(&change.command)
    );
    if !change.own {
        let said = "its record is not sealed with your key: somebody else made it, or you did on \
                    another machine";
        text += &format!("  {}\n", Paint::Warn.on(said));
    }
    if change.cut_short {
        text += &format!("  {}\n", Paint::Warn.on("it was cut short"));
    }
    for file in &change.files {
        let how = if change.created.contains(file) {
            "goes; it was not there before"
        } else {
            "gets back what it held"
        };
        let unless = if keeps_edits {
            ", unless it was changed since"
        } else {
            ""
        };
        text += &format!("  {} {how}{unless}\n", shown(file.as_bstr()));
    }
    for path in &change.moved {
        text += &format!("  {} comes back\n", shown(path.as_bstr()));
    }
    for path in &change.modes {
        text += &format!("  {} gets back its permissions\n", shown(path.as_bstr()));
    }
    if change.untracked > 0 {
        text += &format!("  {} tracked again\n", files(change.untracked as u64));
    }
    text
}
