//! Whether files may be run: a script that another file runs by its path must be, and what holds
//! nothing to run must not. git records it, and it goes to everybody.

use crate::{ByHand, Cause, Finding, Known, Level, Remedy, Result, ScanContext};
use bstr::ByteSlice;
use redshank_files::FileKind;
use redshank_rules::{PatternSet, RepoPath, RepoPathBuf};
use redshank_worktree::Class;
use redshank_worktree::tree::{Entry, EntryKind};
use std::collections::HashSet;
use std::sync::LazyLock;

/// Who may run a file, as chmod(2) has it.
const MAY_RUN: u32 = 0o111;

/// Files that hold nothing to run, whatever is in them.
static PLAIN: LazyLock<PatternSet> = LazyLock::new(|| {
    let endings = "*.md *.rst *.txt *.json *.toml *.yml *.yaml *.xml *.csv *.html *.css *.png \
                   *.jpg *.jpeg *.gif *.svg *.pdf *.lock LICENSE* README*";
    let endings = endings.split_whitespace().map(str::to_owned);
    endings.collect::<Vec<_>>().into()
});

/// Files that run others by their path.
static CALLERS: LazyLock<PatternSet> = LazyLock::new(|| {
    let names = "README* Makefile GNUmakefile justfile package.json Dockerfile Jenkinsfile *.mk \
                 .gitlab-ci.yml /.github/workflows/*.yml /.github/workflows/*.yaml \
                 /.forgejo/workflows/*.yml /.circleci/config.yml *.sh";
    let names = names.split_whitespace().map(str::to_owned);
    names.collect::<Vec<_>>().into()
});

/// No file that runs others is read further, in bytes.
const LONGEST_CALLER: u64 = 1 << 20;

pub(super) fn find(scan: &ScanContext, known: &Known) -> Result<Vec<Finding>> {
    let programs = &known.content.programs;
    let marked = programs.iter().filter(|program| program.has_mark);
    let entries = marked.filter_map(|program| scan.tree.get(&program.path));
    let mut findings: Vec<Finding> = entries
        .map(|entry| {
            finding(
                entry,
                "script-mark",
                Cause::MarkBeforeScript,
                Remedy::ByHand(ByHand::DropMark),
            )
        })
        .collect();
    let has_modes = scan
        .snapshot
        .repository
        .as_ref()
        .is_some_and(|repository| repository.keeps_modes);
    if !cfg!(unix) || !has_modes || scan.options.staged {
        return Ok(findings);
    }
    let may_run = |entry: &Entry| {
        let meta = scan.snapshot.root.meta(&entry.path).ok();
        let meta = meta.filter(|meta| meta.kind == FileKind::File);
        meta.map(|meta| meta.mode & MAY_RUN != 0)
    };
    let programs: Vec<&RepoPathBuf> = programs.iter().map(|program| &program.path).collect();
    let entries = programs.iter().filter_map(|path| scan.tree.get(path));
    let shut: Vec<&Entry> = entries
        .filter(|entry| !known.templates.has(entry) && may_run(entry) == Some(false))
        .collect();
    findings.extend(run_by_others(scan, &shut));
    let programs: HashSet<&RepoPathBuf> = programs.into_iter().collect();
    let plain = scan.tree.to_commit_files().filter(|entry| {
        let is_plain = PLAIN
            .topmost(&entry.path)
            .is_some_and(|part| !part.is_folder());
        is_plain && !programs.contains(&entry.path) && !known.templates.has(entry)
    });
    let plain = plain.filter(|entry| may_run(entry) == Some(true));
    findings.extend(plain.map(|entry| {
        let cause = Cause::NeedlesslyExecutable;
        Finding {
            level: Level::Note,
            ..finding(entry, "mode", cause, mode(false))
        }
    }));
    Ok(findings)
}

/// The scripts that another file runs by their path.
fn run_by_others(scan: &ScanContext, shut: &[&Entry]) -> Vec<Finding> {
    if shut.is_empty() {
        return Vec::new();
    }
    let callers = scan.tree.to_commit().filter(|entry| {
        entry.kind == EntryKind::File
            && entry.size.0 <= LONGEST_CALLER
            && CALLERS
                .topmost(&entry.path)
                .is_some_and(|part| !part.is_folder())
    });
    let texts: Vec<(&Entry, Vec<u8>)> = callers
        .filter_map(|caller| Some((caller, scan.snapshot.read(&caller.path).ok()?)))
        .collect();
    let found = shut.iter().filter_map(|script| {
        let mut callers = texts.iter();
        let (by, _) = callers.find(|(caller, text)| {
            let folder = caller.path.folder();
            let names = [RepoPath::top(), folder].map(|base| script.path.below(base));
            let mut names = names.into_iter().flatten();
            caller.path != script.path && names.any(|name| runs(text, name))
        })?;
        let cause = Cause::NotExecutable {
            by: by.path.clone(),
        };
        Some(finding(script, "mode", cause, mode(true)))
    });
    found.collect()
}

/// Whether a text runs a file by its path, without naming its interpreter.
fn runs(text: &[u8], name: &RepoPath) -> bool {
    let call = [b"./", name.as_bytes()].concat();
    text.find_iter(&call).any(|at| {
        let before = text[..at].trim_end_with(|sign| sign == ' ');
        let word = before.rsplit(|byte| b" \n\t\"'`(".contains(byte)).next();
        let word = word.unwrap_or_default();
        let is_argument =
            at > 0 && before.len() < at && !word.is_empty() && !STARTS.contains(&word);
        let is_start = at == 0 || b" \n\t\"'`(@&;|:-".contains(&text[at - 1]);
        let after = text.get(at + call.len());
        let is_whole = after.is_none_or(|byte| !byte.is_ascii_alphanumeric() && *byte != b'/');
        is_start && is_whole && !is_argument
    })
}

/// What stands before a command in the files that run some.
const STARTS: &[&[u8]] = &[
    b"$", b"%", b"&&", b"||", b";", b"|", b"-", b"run:", b"RUN", b"CMD", b"then", b"do", b"sudo",
    b"exec", b"time",
];

fn finding(entry: &Entry, name: &'static str, cause: Cause, remedy: Remedy) -> Finding {
    Finding::on(entry, Class::Needed, name, Level::Warning, cause).with_remedy(remedy)
}

fn mode(is_executable: bool) -> Remedy {
    Remedy::Mode { is_executable }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_path_that_is_run_is_told_from_one_that_is_named() {
        let name = RepoPath::new("tools/build.sh");
        for text in [
            "./tools/build.sh\n",
            "  run: ./tools/build.sh --fast",
            "{\"build\": \"./tools/build.sh\"}",
            "make && ./tools/build.sh",
            "\t@./tools/build.sh",
            "`./tools/build.sh`",
        ] {
            assert!(runs(text.as_bytes(), name), "{text}");
        }
        for text in [
            "bash ./tools/build.sh",
            "chmod +x ./tools/build.sh",
            "./tools/build.sha256",
            "see ../tools/build.sh",
            "./tools/build.sh/x",
            "cat ./tools/build.sh",
        ] {
            assert!(!runs(text.as_bytes(), name), "{text}");
        }
    }
}
