//! What is said of errors: the layers below say what and where, here is added what to do.

use super::rules::near_reason;
use redshank_changes::EditedSince;
use redshank_templates::{Failure, Fault};
use redshank_worktree::Purpose;
use std::path::Path;

type Lines = Vec<String>;

/// An error in words: what went wrong in the first line, what to do in those below.
pub fn describe(error: &anyhow::Error) -> String {
    let lines = if let Some(error) = error.downcast_ref() {
        of_changes(error)
    } else if let Some(error) = error.downcast_ref() {
        of_findings(error)
    } else if let Some(error) = error.downcast_ref() {
        of_templates(error)
    } else if let Some(error) = error.downcast_ref() {
        of_worktree(error)
    } else if let Some(error) = error.downcast_ref() {
        of_git(error)
    } else {
        Vec::new()
    };
    match lines.as_slice() {
        [] => format!("{error:#}"),
        lines => lines.join("\n  "),
    }
}

/// What went wrong, in the layer's own words, and what to do.
fn said(error: &impl std::error::Error, todo: impl Into<String>) -> Lines {
    vec![error.to_string(), todo.into()]
}

fn of_git(error: &redshank_git::Error) -> Lines {
    use redshank_git::Error;
    let todo = match error {
        Error::TooOld { .. } => "install a newer git, or put it first on the PATH",
        Error::Killed { .. } => {
            "a limit on memory, time or file sizes (`ulimit -a`) may have stopped it; nothing of it is \
             left"
        }
        Error::NotStarted(_) => "Redshank needs git on the PATH; install it, or fix the PATH",
        Error::NoWorkTree(_) => "go to a working tree, or name one with --root",
        Error::TopElsewhere { .. } => "if you want that, set both: GIT_DIR and GIT_WORK_TREE",
        Error::Endless(_) => "put a regular file in its place, or take it away",
        Error::NoFolder { .. } => "name a folder that exists and can be entered",
        Error::ExportDiffers(_) => {
            "look at the copy, which is still there; a submodule can't be copied without its history"
        }
        Error::BadIndex { .. } => "`git status` may show more",
        Error::Locked(_) => "wait for it to end; if none is running, remove that file",
        Error::NoRemote { remotes, .. } if remotes.is_empty() => {
            "add one: git remote add origin ADDRESS"
        }
        Error::NoRemote { .. } => "name one: redshank outgoing REMOTE",
        Error::NoBranch => "name it: redshank outgoing REMOTE/BRANCH",
        Error::NoCommit(_) => "`git log --oneline --all` lists what there is",
        Error::Refused { .. } | Error::Disk { .. } => return vec![error.to_string()],
    };
    said(error, todo)
}

fn of_worktree(error: &redshank_worktree::Error) -> Lines {
    use redshank_worktree::Error;
    match error {
        Error::Git(error) => of_git(error),
        Error::Malformed { near, .. } => {
            let near = near.iter().map(|near| format!("did you mean `{near}`?"));
            std::iter::once(error.to_string()).chain(near).collect()
        }
        Error::NotExtensible { key: "draft", .. } => {
            said(error, "write it as a table of its own: [draft]")
        }
        Error::NotExtensible { key, .. } => said(
            error,
            format!("write each as a table of its own: [[{key}]]"),
        ),
        Error::NotUtf8 { .. } => said(error, "save it as UTF-8"),
        Error::NotAFile(_) | Error::PolicyLink(_) => said(error, "put a regular file in its place"),
        Error::Utf16(_) => said(error, "save it as UTF-8 first"),
        Error::NoRepository { purpose, .. } => vec![
            format!("{error}, and {}", without_repository(*purpose)),
            "run `git init` there first".to_owned(),
        ],
        Error::Disk { .. } => vec![error.to_string()],
    }
}

fn without_repository(purpose: Purpose) -> &'static str {
    match purpose {
        Purpose::CloneRules => "there is no clone with rules of its own",
        Purpose::Staged => "nothing can be staged",
        Purpose::Journal => "the journal that makes undo possible is in the git folder",
        Purpose::Hook => "there are no commits to check",
        Purpose::HiddenChanges => {
            "there is nothing to mute: only what git tracks has changes to hide"
        }
        Purpose::NextCommit => "there is no next commit to clone",
        Purpose::History => "there are no commits",
        Purpose::Attributes => "git knows no attributes there",
    }
}

fn of_templates(error: &redshank_templates::Error) -> Lines {
    use redshank_templates::Error;
    let todo = match error {
        Error::Worktree(error) => return of_worktree(error),
        Error::Invalid { path, line, fault } => return invalid(path, *line, fault),
        Error::TemplateLink(_) => "put the real file or folder in its place".to_owned(),
        Error::Circle { .. } => "take one of them out".to_owned(),
        Error::NoTemplate { near, .. } => {
            format!("did you mean `{near}`? `redshank templates` lists them all")
        }
        Error::NoVariant { near, .. } => format!(
            "did you mean `{near}`? `redshank templates show NAME` lists a template's variants"
        ),
        Error::NoFolder { top, .. } => {
            format!("name one that exists, relative to {}", top.display())
        }
        Error::NoHome => "set HOME".to_owned(),
        Error::Packed(_) => "install Redshank again".to_owned(),
    };
    said(error, todo)
}

fn invalid(path: &Path, line: usize, fault: &Fault) -> Lines {
    let (what, todo) = match fault {
        Fault::NotAName { name } => (
            format!("`{name}` is not a name"),
            Some("use small letters, digits and `-`".to_owned()),
        ),
        Fault::NotNamedAfter { name } => (
            format!(
                "the file is not named after its template, `{name}`: two files could hold the \
                 same name"
            ),
            Some("rename one of them".to_owned()),
        ),
        Fault::NotOneRule { pattern } => (
            format!("`{}` is not one rule to git", pattern.escape_debug()),
            Some("write one pattern".to_owned()),
        ),
        Fault::LeadsOut { path } => (
            format!("`{path}` is outside the project's folder"),
            Some("it is relative to that folder".to_owned()),
        ),
        Fault::Impossible { pattern } => (
            format!("no path can match `{pattern}`: an open bracket, or a back-slash at the end"),
            None,
        ),
        Fault::Misread {
            pattern,
            because,
            corrected,
        } => (
            format!(
                "git would read `{pattern}` differently: {}",
                near_reason(*because)
            ),
            Some(format!("did you mean `{corrected}`?")),
        ),
        Fault::DropsUnknown { variant, pattern } => (
            format!("variant `{variant}` drops `{pattern}`, which the template doesn't have"),
            None,
        ),
        Fault::NotAnAttribute { pattern } => (
            format!("git would not take the attributes of `{pattern}`, or they match no file"),
            Some("write a file pattern, and `set` such as [\"text\", \"eol=lf\"]".to_owned()),
        ),
        Fault::LaterThanTemplate { pattern } => (
            format!("`{pattern}` has a `since` that is higher than the template's revision"),
            Some("raise `revision`, or lower `since`".to_owned()),
        ),
        Fault::NotOneGroup { expression } => (
            format!("`{expression}` must have one group, which is the value"),
            None,
        ),
        Fault::BadExpression { said, .. } => (said.clone(), None),
        Fault::Example(failure) => (
            format!("the example {}", example(failure)),
            Some("fix the pattern or the example".to_owned()),
        ),
    };
    let what = format!("{}, line {line}: {what}", path.display());
    std::iter::once(what).chain(todo).collect()
}

/// An example that doesn't come out as its template says.
pub fn example(failure: &Failure) -> String {
    let should = if failure.expected_ignored {
        "must be ignored and is not"
    } else {
        "must stay and is ignored"
    };
    match &failure.needed_by {
        None => format!("`{}` of `{}` {should}", failure.example, failure.pattern),
        Some(other) => format!(
            "`{}` ignores `{}`, which template `{other}` needs",
            failure.pattern, failure.example
        ),
    }
}

fn of_findings(error: &redshank_findings::Error) -> Lines {
    use redshank_findings::Error;
    match error {
        Error::Worktree(error) => of_worktree(error),
        Error::Templates(error) => of_templates(error),
        Error::Git(error) => of_git(error),
        Error::Table(_) => vec![error.to_string()],
    }
}

fn of_changes(error: &redshank_changes::Error) -> Lines {
    use redshank_changes::Error;
    let todo = match error {
        Error::Worktree(error) => return of_worktree(error),
        Error::Templates(error) => return of_templates(error),
        Error::Findings(error) => return of_findings(error),
        Error::Git(error) => return of_git(error),
        Error::NoStorage => {
            "`git lfs install` sets it up (Git LFS); or choose --large ignore".to_owned()
        }
        Error::Table(_)
        | Error::NothingToUndo
        | Error::NotKept { .. }
        | Error::NotInArea { .. } => return vec![error.to_string()],
        Error::ChangedSince { number, files } => {
            return edited_since(error, *number, files, false);
        }
        Error::CutShortAndEdited { number, files, .. } => {
            return edited_since(error, *number, files, true);
        }
        Error::NoChange(_) => "`redshank undo --list` shows those there are".to_owned(),
        Error::ChangedLater { later, .. } => {
            format!("take that one back first: `redshank undo {later}`")
        }
        Error::NotTracked { .. } => {
            "`redshank files --state tracked` lists what git tracks; a folder needs the files in it \
             named"
                .to_owned()
        }
        Error::NoPersonalFile => "set core.excludesFile with `git config --global`".to_owned(),
        Error::NoAuthor => {
            "git config --global user.name NAME, and user.email YOU@EXAMPLE.ORG".to_owned()
        }
        Error::NoPolicy(_) => "docs/guide/policy.md says what it looks like".to_owned(),
        Error::PolicyWithoutRevisions(_) => {
            "leave --revision out, or make it a repository".to_owned()
        }
        Error::PolicyPassword => "let git ask for it, or use a credential helper".to_owned(),
        Error::NoPolicyNamed => "`redshank policy use FROM` names one".to_owned(),
        Error::ExportTaken(_) => "name a folder that isn't there yet".to_owned(),
        Error::ExportInside(_) => "name a folder outside of it".to_owned(),
        Error::PersonalAttributes => "use --for team, folder or clone".to_owned(),
        Error::NotYourFile(_) => "take that setting out of the repository first".to_owned(),
        Error::BadJournal { .. } => "no record that this version wrote; the copies beside it are \
                                     as they were, and nothing was changed"
            .to_owned(),
        Error::BadRuns { .. } => "delete it: only how earlier runs went is forgotten".to_owned(),
        Error::ChangedMeanwhile { .. } | Error::IndexMoved => "try again".to_owned(),
        Error::Endless(_) => "put a regular file in its place, or take it away".to_owned(),
        Error::NotPrivate(_) => "name another folder for temporary files with TMPDIR".to_owned(),
        Error::HooksElsewhere { .. } => "to have commits checked, add this line to the \
                                         pre-commit hook there: redshank check --staged --level error"
            .to_owned(),
        Error::NotMoved { .. } | Error::OtherDisk(_) => {
            "leave it out with `--skip`, or go on without `--remove`".to_owned()
        }
        Error::OnlyForeign { number } => format!(
            "`redshank undo {number}` undoes it anyway, `redshank undo --forget {number}` \
             deletes its record"
        ),
        Error::ForeignRecord { number } => {
            format!("`redshank undo --forget {number}` deletes its record")
        }
        Error::CutShort { .. } => "`redshank undo` undoes it; then try again".to_owned(),
        Error::HalfDone { .. } => "once that is fixed, `redshank undo` undoes it; everything \
         that it replaced is safe in the journal"
            .to_owned(),
        Error::PlanTooWide { .. } => {
            "this is a fault of Redshank; `redshank tidy --only CLASS` may do the rest".to_owned()
        }
        Error::OnlyAdding => "run `git init` first".to_owned(),
        Error::Unfinished { .. } => "finish or abort it with git first".to_owned(),
        Error::Conflicted { .. } => "decide it with git first".to_owned(),
    };
    said(error, todo)
}

fn edited_since(
    error: &redshank_changes::Error,
    number: u32,
    files: &[EditedSince],
    was_cut_short: bool,
) -> Lines {
    let mut lines = vec![error.to_string()];
    lines.extend(files.iter().map(|one| match &one.kept {
        Some(kept) => format!(
            "{}: what it held before is in {}",
            one.path.display(),
            kept.display()
        ),
        None => format!("{}: it was not there before", one.path.display()),
    }));
    lines.push(format!(
        "`redshank undo {number} --keep-mine` leaves those as they are and undoes the rest"
    ));
    lines.push(format!(
        "`redshank undo {number} --replace` brings back what they held"
    ));
    if was_cut_short {
        lines.push(format!(
            "`redshank undo --forget {number}` leaves all as it is"
        ));
    }
    lines
}
