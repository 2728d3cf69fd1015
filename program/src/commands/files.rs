use anyhow::{Result, bail};
use bstr::{BStr, ByteSlice};
use clap::{Args, ValueEnum};
use redshank_context::{Context, GlobalArgs, found, path_values};
use redshank_origin::{Judgement, Judgements, Origin};
use redshank_output::{self as output, Align, Table, folder_name, link, put, screen, width};
use redshank_report::{
    FILES, FileOut, FolderRowOut, FoldersOut, Listing, OriginOut, OutputFormat, PathOut, Report,
    root,
};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_text as text;
use redshank_text::{Paint, count, cut, shown};
use redshank_worktree::tree::{Entry, State, Tree};
use redshank_worktree::{Depth, FileStats, WalkOptions, grouped};
use std::cmp::Reverse;
use std::collections::HashMap;
use std::ffi::OsString;
use std::io::Write;
use std::path::Path;
use std::process::ExitCode;

/// List files by state
#[derive(Args)]
pub struct Files {
    /// Only those in these folders
    #[arg(value_name = "FOLDER", add = path_values::folders())]
    folders: Vec<OsString>,
    /// Which files: candidates would be taken by `git add --all`
    #[arg(
        long,
        value_delimiter = ',',
        value_enum,
        default_value = "candidate,tracked"
    )]
    state: Vec<StateArg>,
    /// Folders with their counts and sizes instead, down to this level, biggest first
    #[arg(
        long,
        value_name = "LEVELS",
        num_args = 0..=1,
        default_missing_value = "2",
        conflicts_with = "z"
    )]
    tree: Option<usize>,
    /// Where each file comes from, by what evidence; with words behind it, only these
    #[arg(
        long,
        value_name = "ORIGIN",
        value_delimiter = ',',
        value_enum,
        num_args = 0..,
        require_equals = true,
        conflicts_with_all = ["tree", "z"]
    )]
    origin: Option<Vec<OriginArg>>,
    /// Only the largest, biggest first
    #[arg(
        long,
        value_name = "HOW MANY",
        num_args = 0..=1,
        default_missing_value = "20",
        conflicts_with = "tree"
    )]
    largest: Option<usize>,
    /// Check that every candidate is below this folder, instead; those that don't are listed
    #[arg(long, value_name = "FOLDER", conflicts_with_all = ["tree", "state"], add = path_values::folders())]
    under: Option<OsString>,
    /// End every path with a NUL, and write it byte for byte
    #[arg(short, conflicts_with = "format")]
    z: bool,
    /// How the answer is written
    #[arg(long, value_parser = FILES.parser(), default_value = "text")]
    format: OutputFormat,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum StateArg {
    Candidate,
    Ignored,
    Tracked,
}

impl From<StateArg> for State {
    fn from(state: StateArg) -> Self {
        match state {
            StateArg::Candidate => Self::Candidate,
            StateArg::Ignored => Self::Ignored,
            StateArg::Tracked => Self::Tracked,
        }
    }
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum OriginArg {
    Authored,
    Generated,
    Installed,
    Local,
    Unknown,
}

impl From<OriginArg> for Origin {
    fn from(origin: OriginArg) -> Self {
        match origin {
            OriginArg::Authored => Self::Authored,
            OriginArg::Generated => Self::Generated,
            OriginArg::Installed => Self::Installed,
            OriginArg::Local => Self::Local,
            OriginArg::Unknown => Self::Unknown,
        }
    }
}

impl Files {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        let wanted = |state| {
            self.state
                .iter()
                .any(|wanted| State::from(*wanted) == state)
        };
        let options = WalkOptions {
            depth: if wanted(State::Ignored) {
                Depth::IntoIgnored
            } else {
                Depth::StopAtIgnored
            },
            sizes: !self.z || self.largest.is_some(),
            under: context.prefix.clone(),
            ..WalkOptions::default()
        };
        let tree = Tree::walk(&context.snapshot, &options)?;
        let entries = tree.entries.iter().filter(|entry| wanted(entry.state));
        let mut listed: Vec<&Entry> = entries.collect();
        let folders = self.folders(&context)?;
        listed.retain(|entry| {
            folders.is_empty() || folders.iter().any(|folder| entry.path.is_within(folder))
        });
        if let Some(folder) = &self.under {
            let folder = context.resolve_folder(folder)?;
            listed
                .retain(|entry| entry.state == State::Candidate && !entry.path.is_within(&folder));
        }
        let judgements = match &self.origin {
            Some(wanted) => {
                let judgements = context.survey()?.judge(&listed);
                let is_wanted = |entry: &Entry| {
                    let known = judgements.on(&entry.path);
                    let origin = known.map_or(Origin::Unknown, |known| known.origin);
                    wanted.is_empty() || wanted.iter().any(|one| Origin::from(*one) == origin)
                };
                listed.retain(|entry| is_wanted(entry));
                Some(judgements)
            }
            None => None,
        };
        if let Some(many) = self.largest {
            listed.sort_by_key(|entry| (Reverse(entry.size), &entry.path));
            listed.truncate(many);
        }
        let prefix = &context.prefix;
        if self.z {
            write_raw(&listed, prefix)?;
        } else if let Some(levels) = self.tree {
            self.format
                .print_list(&Folders::new(&context, &listed, levels))?;
        } else {
            let list = List {
                listed: &listed,
                judgements: judgements.as_ref(),
                top: &context.snapshot.top,
                prefix,
                width: width(),
            };
            match self.format {
                OutputFormat::Text => list.put_out()?,
                OutputFormat::Csv => output::csv(COLUMNS, list.rows())?,
                _ => self.format.print_list(&list)?,
            }
        }
        context.say_unread(&tree.unread);
        Ok(found(self.under.is_some() && !listed.is_empty()))
    }
}

impl Files {
    /// The folders that were asked for, below the one that the person is in.
    fn folders(&self, context: &Context) -> Result<Vec<RepoPathBuf>> {
        let mut folders = Vec::new();
        for folder in &self.folders {
            let folder = context.resolve_folder(folder)?;
            if *folder != *context.prefix && !folder.is_within(&context.prefix) {
                bail!(
                    "{} is outside the folder you are in\n  go there, or name it with --root",
                    shown(&folder)
                );
            }
            folders.push(folder);
        }
        Ok(folders)
    }
}

fn write_raw(listed: &[&Entry], prefix: &BStr) -> Result<()> {
    let mut out = std::io::BufWriter::new(screen::raw());
    for entry in listed {
        out.write_all(&entry.path[prefix.len()..])?;
        out.write_all(b"\0")?;
    }
    Ok(out.flush()?)
}

/// Files, relative to a folder.
struct List<'a> {
    listed: &'a [&'a Entry],
    /// Where they come from, if that was asked for.
    judgements: Option<&'a Judgements<'a>>,
    top: &'a Path,
    prefix: &'a BStr,
    width: Option<usize>,
}

/// The columns of a table of files: keys of a row.
const COLUMNS: &[&str] = &["path", "state", "size", "origin", "strength", "path_b64"];

/// How wide a state is, in columns, and a size.
const WORD: usize = 9;
const SIZE: usize = 10;

/// How many files are written at a time.
const LINES_AT_ONCE: usize = 4096;

impl<'a> List<'a> {
    fn relative(&self, entry: &'a Entry) -> &'a BStr {
        entry.path[self.prefix.len()..].as_bstr()
    }

    fn judgement(&self, entry: &Entry) -> Option<&'a Judgement> {
        self.judgements?.on(&entry.path)
    }

    /// Where a file comes from, in a line below it.
    fn origin(&self, entry: &Entry) -> String {
        let Some(judgement) = self.judgement(entry) else {
            return String::new();
        };
        let because = match text::because(judgement) {
            because if because.is_empty() => String::new(),
            because => format!(": {because}"),
        };
        let line = format!("{}{because}", text::origin(judgement));
        format!("{}{}\n", " ".repeat(WORD + SIZE + 5), Paint::Quiet.on(line))
    }

    /// A file in one line: its state, its size, and where it is.
    fn line(&self, entry: &'a Entry) -> String {
        let (word, paint) = match entry.state {
            State::Candidate => ("candidate", Paint::Good),
            State::Ignored => ("ignored", Paint::Quiet),
            State::Tracked => ("tracked", Paint::Type),
        };
        let pad = " ".repeat(WORD - word.len());
        let (word, size) = (paint.on(word), entry.size.to_string());
        let path = shown(self.relative(entry));
        let path = self.width.map_or(path.clone(), |width| {
            cut(&path, width.saturating_sub(WORD + SIZE + 5))
        });
        let path = link(path, &self.top.join(entry.path.to_path_lossy()));
        let origin = self.origin(entry);
        format!(" {word}{pad}  {size:>SIZE$}  {path}\n{origin}")
    }

    /// Writes all of them, so many at a time that no list is too long; on a terminal all at once,
    /// as they are read there.
    fn put_out(&self) -> Result<()> {
        if self.width.is_some() {
            return Ok(screen::page(&self.text()?)?);
        }
        for some in self.listed.chunks(LINES_AT_ONCE) {
            let lines: String = some.iter().map(|entry| self.line(entry)).collect();
            put!("{lines}")?;
        }
        Ok(())
    }
}

impl Report for List<'_> {
    type Document = Vec<FileOut>;

    fn text(&self) -> Result<String> {
        Ok(self.listed.iter().map(|entry| self.line(entry)).collect())
    }

    fn document(&self) -> Vec<FileOut> {
        self.rows().collect()
    }
}

impl Listing for List<'_> {
    type Row = FileOut;

    fn rows(&self) -> impl Iterator<Item = FileOut> {
        self.listed.iter().map(|entry| FileOut {
            path: PathOut::new(self.relative(entry)),
            state: entry.state,
            size: entry.size,
            origin: self.judgement(entry).map(OriginOut::from),
        })
    }
}

/// Folders down to a level, each below the one that holds it, biggest first.
struct Folders<'a> {
    top: &'a Path,
    rows: Vec<FolderRow>,
}

struct FolderRow {
    /// From the folder that was asked about; the top for what is right in it.
    path: RepoPathBuf,
    /// Where the last part of the path starts.
    name_at: usize,
    /// From 1.
    level: usize,
    stats: FileStats,
}

impl<'a> Folders<'a> {
    fn new(context: &'a Context, listed: &[&Entry], levels: usize) -> Self {
        let mut folders = Self {
            top: &context.snapshot.top,
            rows: Vec::new(),
        };
        let at = context.prefix.len();
        folders.add_below(listed, (at, at), 1, levels);
        let here = FileStats::sum(
            listed
                .iter()
                .copied()
                .filter(|entry| folder_name_at(entry, at).is_none()),
        );
        if levels > 0 && here.files > 0 {
            folders.rows.push(FolderRow {
                path: RepoPathBuf::default(),
                name_at: 0,
                level: 1,
                stats: here,
            });
        }
        folders
    }

    /// Adds the folders right in one folder, each with those in it. `start` is where paths start,
    /// `at` where they go on.
    fn add_below(
        &mut self,
        listed: &[&Entry],
        (start, at): (usize, usize),
        level: usize,
        levels: usize,
    ) {
        if level > levels {
            return;
        }
        let within: Vec<&Entry> = listed
            .iter()
            .copied()
            .filter(|entry| folder_name_at(entry, at).is_some())
            .collect();
        let name = |entry| folder_name_at(entry, at).unwrap_or_default();
        let mut of_folder: HashMap<&BStr, Vec<&Entry>> = HashMap::new();
        for entry in &within {
            of_folder.entry(name(entry)).or_default().push(entry);
        }
        for (folder, stats) in grouped(within.iter().copied(), name) {
            let inner = of_folder.remove(folder).unwrap_or_default();
            let end = at + folder.len();
            self.rows.push(FolderRow {
                path: inner[0].path[start..end].as_bstr().into(),
                name_at: at - start,
                level,
                stats,
            });
            self.add_below(&inner, (start, end), level + 1, levels);
        }
    }
}

/// The name of the folder that an entry is in, further down; none if it is right there. A
/// folder that wasn't entered lies where it is.
fn folder_name_at(entry: &Entry, at: usize) -> Option<&BStr> {
    let rest = &entry.path[at..];
    let slash = rest
        .find_byte(b'/')
        .filter(|slash| slash + 1 < rest.len())?;
    Some(rest[..=slash].as_bstr())
}

impl Report for Folders<'_> {
    type Document = FoldersOut;

    fn text(&self) -> Result<String> {
        let mut table = Table::new(&[Align::Right, Align::Right, Align::Left]);
        for row in &self.rows {
            let name = RepoPath::new(&row.path[row.name_at..]);
            let indented = format!("{}{}", "  ".repeat(row.level - 1), folder_name(name));
            table.row([
                count(row.stats.files).into(),
                row.stats.size.to_string().into(),
                indented.into(),
            ]);
        }
        Ok(table.text())
    }

    fn document(&self) -> FoldersOut {
        FoldersOut {
            schema: "redshank.folders/1",
            root: root(self.top),
            folders: self.rows().collect(),
        }
    }
}

impl Listing for Folders<'_> {
    type Row = FolderRowOut;

    fn rows(&self) -> impl Iterator<Item = FolderRowOut> {
        let rows = self.rows.iter();
        rows.map(|row| FolderRowOut::new(&row.path, row.level, row.stats))
    }
}
