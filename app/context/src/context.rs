//! What a command works with: one picture of the working tree, and how to answer.

use crate::GlobalArgs;
use crate::ask;
use anyhow::{Context as _, Result, bail};
use bstr::{BStr, BString, ByteSlice};
use once_cell::sync::OnceCell;
use redshank_changes::journal::{Journal, KeyPlace};
use redshank_files::FileKind;
use redshank_findings::{ScanOptions, ScanResult, scan, scan_staged};
use redshank_report::OutputFormat;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_templates::{Collection, Survey, recognise};
use redshank_text::shown;
use redshank_worktree::tree::Unread;
use redshank_worktree::{Purpose, Snapshot};
use std::borrow::Cow;
use std::ffi::OsStr;
use std::io::IsTerminal;
use std::path::{Path, PathBuf};

/// The working tree that a command works in, and where in it the person stands.
pub struct Context<'a> {
    /// What is there, each thing read once.
    pub snapshot: Snapshot,
    /// The folder that the person's paths are relative to.
    pub prefix: RepoPathBuf,
    /// The arguments that hold for every command.
    pub args: &'a GlobalArgs,
    /// The answer is for people.
    pub for_people: bool,
    collection: OnceCell<Collection>,
}

impl<'a> Context<'a> {
    /// Finds the working tree.
    pub fn find(args: &'a GlobalArgs, format: OutputFormat) -> Result<Self> {
        let folder = args.root.clone().unwrap_or_else(|| PathBuf::from("."));
        Self::at(&folder, args, format)
    }

    /// The working tree that a named folder is in.
    pub fn at(folder: &Path, args: &'a GlobalArgs, format: OutputFormat) -> Result<Self> {
        let snapshot = Snapshot::open(folder)?;
        let here =
            redshank_files::canonical(folder).with_context(|| folder.display().to_string())?;
        let below = here.strip_prefix(&snapshot.top).unwrap_or(Path::new(""));
        Ok(Self {
            snapshot,
            prefix: RepoPath::top()
                .join(redshank_files::path_bytes(below))
                .as_folder(),
            args,
            for_people: format.is_text(),
            collection: OnceCell::new(),
        })
    }

    /// The templates that count here, as the repository chose them to be.
    pub fn collection(&self) -> Result<&Collection> {
        self.collection.get_or_try_init(|| {
            let choices = &self.snapshot.settings()?.draft;
            Ok(Collection::load(&self.snapshot)?.chosen(choices)?)
        })
    }

    /// The projects that are here.
    pub fn survey(&self) -> Result<Survey<'_>> {
        let tree = self.snapshot.tree()?;
        Ok(recognise(&self.snapshot, tree, self.collection()?))
    }

    /// How everything is looked for here.
    pub fn scan_options(&self) -> ScanOptions {
        ScanOptions {
            limits: self.args.preferences.limits,
            ..ScanOptions::default()
        }
    }

    /// What is found here.
    pub fn scan(&self, options: &ScanOptions) -> Result<ScanResult> {
        let snapshot = &self.snapshot;
        if options.staged {
            return Ok(scan_staged(
                snapshot,
                || -> redshank_templates::Result<Collection> {
                    Collection::load(snapshot)?.chosen(&snapshot.settings()?.draft)
                },
                options,
            )?);
        }
        if options.ignored {
            let survey = recognise(snapshot, snapshot.whole_tree()?, self.collection()?);
            return Ok(scan(snapshot, &survey, options)?);
        }
        Ok(scan(snapshot, &self.survey()?, options)?)
    }

    /// A person's path, relative to the top. A slash at its end stays.
    pub fn resolve(&self, path: &OsStr) -> Result<RepoPathBuf> {
        let given = redshank_files::path_bytes(Path::new(path));
        Ok(self.resolve_bytes(given.as_bstr())?.into_owned())
    }

    /// A person's folder, relative to the top.
    pub fn resolve_folder(&self, folder: &OsStr) -> Result<RepoPathBuf> {
        let resolved = self.resolve(folder)?.as_folder();
        if self.snapshot.root.kind(&resolved) != Some(FileKind::Folder) {
            bail!(
                "{} is not a folder\n  name one that exists",
                shown(&resolved)
            );
        }
        Ok(resolved)
    }

    /// The same for a path that came as bytes.
    pub fn resolve_bytes<'p>(&self, given: &'p BStr) -> Result<Cow<'p, RepoPath>> {
        if self.prefix.is_top() && is_plain(given) {
            return Ok(Cow::Borrowed(given.into()));
        }
        let outside = || {
            format!(
                "{given} is outside {}\n  name a path inside it",
                self.snapshot.top.display()
            )
        };
        if given.is_empty() {
            bail!("an empty path names nothing\n  `.` is the folder you are in");
        }
        let (folder, below) = if given.to_path_lossy().is_absolute() {
            let top = redshank_files::path_bytes(&self.snapshot.top);
            let below = given.strip_prefix(top.as_ref()).with_context(outside)?;
            if !below.is_empty() && !below.starts_with(b"/") {
                bail!(outside());
            }
            (RepoPath::top(), below.as_bstr())
        } else {
            (&*self.prefix, given)
        };
        let path = folder.resolve(below).with_context(outside)?;
        let last = below.rsplit_str("/").next().unwrap_or_default();
        Ok(Cow::Owned(match last {
            b"" | b"." | b".." => path.as_folder(),
            _ => path,
        }))
    }

    /// Begins a command that changes what git tracks once it is asked to; then nobody has to read on
    /// for the rest to be done.
    ///
    /// # Errors
    /// If it is asked to and there is no repository.
    pub fn begin_change(&self, applies: bool) -> Result<()> {
        self.recover(applies || self.is_interactive())?;
        if applies {
            redshank_output::screen::ignore_broken_pipe();
            self.snapshot.needs_repository(Purpose::Journal)?;
        }
        Ok(())
    }

    /// Undoes what a killed Redshank had begun, if this one may change anything, and says so.
    pub fn recover(&self, may_change: bool) -> Result<()> {
        let Ok(journal) = Journal::open(&self.snapshot) else {
            return Ok(());
        };
        if may_change {
            say_key_place();
        }
        let Some(entry) = journal.cut_short()? else {
            return Ok(());
        };
        let change = format!("change {} ({}) was cut short", entry.number, entry.command);
        if may_change {
            // Nothing is given where another Redshank was only still at it.
            if journal.recover()?.is_some() {
                redshank_output::eputln!("{change}; what it had done is undone now");
            }
        } else {
            redshank_output::eputln!("{change}; `redshank undo` undoes what it had done");
        }
        Ok(())
    }

    /// The number of the newest change in the journal; 0 if there is none.
    pub fn newest_change(&self) -> u32 {
        let listed = Journal::open(&self.snapshot).and_then(|journal| journal.list());
        listed
            .ok()
            .and_then(|all| Some(all.last()?.number))
            .unwrap_or_default()
    }

    /// The files of the working tree that changes after that number wrote, sorted.
    pub fn changed_since(&self, number: u32) -> Result<Vec<BString>> {
        let changes = Journal::open(&self.snapshot)?.list()?;
        let since = changes
            .into_iter()
            .filter(|change| change.number > number && !change.undone);
        let mut files: Vec<BString> = since.flat_map(|change| change.files).collect();
        files.retain(|path| self.snapshot.root.is_there(RepoPath::new(path)));
        files.sort();
        files.dedup();
        Ok(files)
    }

    /// The name of a command for the journal; one that `setup` runs is a part of it.
    pub fn journal_name(&self, command: &str) -> String {
        self.args
            .within
            .map_or(command.to_owned(), |within| format!("{within}: {command}"))
    }

    /// Asks before a change, where there is somebody to ask; a script has said so by its options
    /// already.
    pub fn confirm(&self, question: &str) -> Result<bool> {
        if !self.asks() {
            return Ok(true);
        }
        Ok(ask::one_of(question, ask::YES_OR_NO)? == Some('y'))
    }

    /// Whether a person is asked before a change.
    pub fn asks(&self) -> bool {
        self.is_interactive() && !self.args.yes
    }

    /// Whether a person can answer.
    pub fn is_interactive(&self) -> bool {
        self.for_people && std::io::stdin().is_terminal() && std::io::stderr().is_terminal()
    }

    /// Whether a person gets more than what was asked for.
    pub fn speaks(&self) -> bool {
        self.for_people && !self.args.quiet
    }

    /// Says what could not be read, on the standard error.
    pub fn say_unread(&self, unread: &[Unread]) {
        for one in unread {
            let path = shown(&one.path);
            let path = if path.is_empty() { "." } else { &path };
            redshank_output::eputln!("not read: {path}: {}", one.reason);
        }
    }
}

/// Says before a change that it can be undone only so long, where this person's key can't be kept.
fn say_key_place() {
    match KeyPlace::find() {
        KeyPlace::Own => {}
        KeyPlace::Temporary => redshank_output::eputln!(
            "the key by which your changes are known can't be kept in your state folder \
             (XDG_STATE_HOME, or .local/state in HOME): `redshank undo` works until the system's \
             temporary files are cleared, `redshank undo NUMBER` after that"
        ),
        KeyPlace::Nowhere => redshank_output::eputln!(
            "the key by which your changes are known can't be kept anywhere: `redshank undo NUMBER` \
             undoes a change, `redshank undo` alone doesn't"
        ),
    }
}

/// Whether a path is surely as it should be already: relative, without empty parts, `.` and `..`.
/// Hidden files may be taken the long way.
fn is_plain(path: &BStr) -> bool {
    if path.is_empty() {
        return false;
    }
    let starts_plain = |at: usize| !matches!(path.get(at), Some(b'/' | b'.'));
    starts_plain(0) && memchr::memchr_iter(b'/', path).all(|slash| starts_plain(slash + 1))
}
