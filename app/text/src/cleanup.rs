//! The commands that take something out of the history, by git's own means and for the case at hand:
//! whether only the last commit has it, which branches and tags do, and whether others have it.

use crate::{Paint, quoted};
use bstr::{BStr, ByteSlice};
use redshank_findings::{ByHand, Cause, Exposure, Finding, Level, Past, Remedy};
use redshank_worktree::Class;
use redshank_worktree::tree::State;

/// The commands, in their order; a line that starts with `#` is for the person. None where nothing is
/// to be taken out, or a single command that the remedy names does it.
pub fn cleanup(finding: &Finding) -> Vec<String> {
    let Some(past) = &finding.past else {
        return Vec::new();
    };
    let classes = [
        Class::Secret,
        Class::Oversized,
        Class::Reserved,
        Class::Personal,
    ];
    let lasts = classes.contains(&finding.class()) && finding.level < Level::Note;
    if !lasts || finding.exposure < Exposure::Committed || finding.path.is_folder() {
        return Vec::new();
    }
    let filter = match (&finding.remedy, &finding.cause) {
        (
            Remedy::ByHand(ByHand::DropStash { .. } | ByHand::RemoveNote | ByHand::ExpireReflog),
            _,
        ) => return Vec::new(),
        (Remedy::ByHand(ByHand::RemakeTag), _) => return remade_tag(finding, past),
        (Remedy::ByHand(ByHand::RewordCommit), _) => return reworded(finding, past),
        (_, Cause::OddAddress { who, .. }) => return readdressed(finding, past, &who.email),
        (Remedy::KeepOut(_), _) => Filter::Without,
        (_, _) if finding.only_past == Some(false) => Filter::Without,
        (_, _) => Filter::AsNow,
    };
    let path = quoted(&finding.path);
    let mut commands = Vec::new();
    if past_others(past) {
        commands.extend(for_others_first(finding));
    }
    if finding.only_past.is_none() && finding.state == State::Tracked {
        commands.push(match filter {
            Filter::Without => format!("git rm --quiet --cached -- {path}"),
            Filter::AsNow => format!("# take it out of {path}, then:"),
        });
        if let Filter::AsNow = filter {
            commands.push(format!("git add -- {path}"));
        }
        if is_alone(past) {
            commands.push("git commit --quiet --amend --no-edit --allow-empty".to_owned());
            commands.extend(forgotten());
            return commands;
        }
        commands.push(format!(
            "git commit --quiet --message {}",
            quoted(BStr::new("Remove what should not be here"))
        ));
    }
    match filter {
        Filter::Without => commands.push(rewritten(
            past,
            "index",
            &format!("git rm --quiet --cached --ignore-unmatch -- {path}"),
        )),
        Filter::AsNow => {
            commands.push(format!("export clean=$(git rev-parse HEAD:{path})"));
            let one = format!(
                "git ls-files --stage -- {path} | while read mode rest; do git update-index \
                 --cacheinfo \"$mode,$clean,\"{path}; done"
            );
            commands.push(rewritten(past, "index", &one));
        }
    }
    commands.extend(pushed_again(past));
    commands.extend(forgotten());
    commands
}

/// What becomes of a path in every commit.
enum Filter {
    /// It goes.
    Without,
    /// It holds what it holds now.
    AsNow,
}

/// Whether only the current commit has it, and no other branch, tag or remote.
fn is_alone(past: &Past) -> bool {
    past.is_last && past.branches.len() <= 1 && past.tags.is_empty() && past.remotes.is_empty()
}

fn past_others(past: &Past) -> bool {
    !past.remotes.is_empty()
}

/// What comes before anything else where others have it.
fn for_others_first(finding: &Finding) -> Vec<String> {
    let said = match finding.class() {
        Class::Secret => {
            "# others have it: revoke it first; the rest is for everybody who has a clone"
        }
        _ => "# others have it: the rest is a decision of everybody who has a clone",
    };
    vec![said.to_owned()]
}

/// The history written again, of the branch that has it, or of everything.
fn rewritten(past: &Past, kind: &str, filter: &str) -> String {
    let filter = quoted(BStr::new(filter.as_bytes()));
    let what = match &past.branches[..] {
        [branch] if past.tags.is_empty() && past.remotes.is_empty() => {
            quoted(BStr::new(branch.as_bytes()))
        }
        _ => "--branches --tags".to_owned(),
    };
    format!(
        "FILTER_BRANCH_SQUELCH_WARNING=1 git filter-branch --force --{kind}-filter {filter} \
         --tag-name-filter cat -- {what}"
    )
}

/// What the remotes get, where they have it.
fn pushed_again(past: &Past) -> Vec<String> {
    let mut commands = Vec::new();
    let mut remotes: Vec<&str> = Vec::new();
    for place in &past.remotes {
        let Some((remote, branch)) = place.split_once('/') else {
            continue;
        };
        if past.branches.iter().any(|known| known == branch) {
            let (remote, branch) = (
                quoted(BStr::new(remote.as_bytes())),
                quoted(BStr::new(branch.as_bytes())),
            );
            commands.push(format!(
                "git push --quiet --force-with-lease {remote} {branch}"
            ));
        } else {
            commands.push(format!(
                "# {place} has no branch here: `git switch {branch}` before, then all of this"
            ));
        }
        remotes.push(remote);
    }
    remotes.sort_unstable();
    remotes.dedup();
    if !past.tags.is_empty() {
        for remote in remotes {
            let remote = quoted(BStr::new(remote.as_bytes()));
            commands.push(format!("git push --quiet --force {remote} --tags"));
        }
    }
    commands
}

/// What this clone remembers beside its branches goes, too.
fn forgotten() -> [String; 3] {
    [
        "git for-each-ref --format='delete %(refname)' refs/original | git update-ref --stdin",
        "git reflog expire --expire=now --all",
        "git gc --quiet --prune=now",
    ]
    .map(str::to_owned)
}

fn reworded(finding: &Finding, past: &Past) -> Vec<String> {
    let mut commands = Vec::new();
    if past_others(past) {
        commands.extend(for_others_first(finding));
    }
    if is_alone(past) {
        commands.push("git commit --amend".to_owned());
    } else {
        let commit = &past.first;
        let filter = format!(
            "if [ \"$GIT_COMMIT\" = {commit} ]; then echo \"(message removed)\"; else cat; fi"
        );
        commands.push(rewritten(past, "msg", &filter));
        commands.extend(pushed_again(past));
    }
    commands.extend(forgotten());
    commands
}

fn readdressed(finding: &Finding, past: &Past, email: &str) -> Vec<String> {
    let mut commands = Vec::new();
    if past_others(past) {
        commands.extend(for_others_first(finding));
    }
    commands.push("# `git config user.email` must be the right one:".to_owned());
    commands.push("export address=$(git config user.email)".to_owned());
    let old = quoted(BStr::new(email.as_bytes()));
    let change =
        |name: &str| format!("if [ \"${name}\" = {old} ]; then export {name}=\"$address\"; fi");
    let filter = ["GIT_AUTHOR_EMAIL", "GIT_COMMITTER_EMAIL"].map(change);
    commands.push(rewritten(past, "env", &filter.join("; ")));
    commands.extend(pushed_again(past));
    commands.extend(forgotten());
    commands
}

fn remade_tag(finding: &Finding, past: &Past) -> Vec<String> {
    let name = finding.path.strip_prefix(b"tag ").unwrap_or(&finding.path);
    let (tag, commit) = (quoted(name.as_bstr()), &past.first);
    let mut commands = Vec::new();
    if past_others(past) {
        commands.extend(for_others_first(finding));
    }
    commands.push(format!(
        "git tag --force --annotate {tag} {commit} --message {tag}"
    ));
    let remotes = past.remotes.iter();
    let mut remotes: Vec<&str> = remotes
        .filter_map(|place| place.split('/').next())
        .collect();
    remotes.dedup();
    for remote in remotes {
        let remote = quoted(BStr::new(remote.as_bytes()));
        commands.push(format!("git push --quiet --force {remote} refs/tags/{tag}"));
    }
    commands.extend(forgotten());
    commands
}

/// What is to be decided about a finding before others see the repository.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Decision {
    /// It is known to whoever has a copy: its issuer must make it worthless.
    Revoke,
    /// It goes out of the history, or the history stays private.
    Rewrite,
    /// It is put right in the next commit.
    Fix,
    /// Nothing must be done; it is to be known.
    Know,
}

impl Decision {
    /// What a finding asks for.
    pub fn about(finding: &Finding) -> Self {
        let is_committed = finding.exposure >= Exposure::Committed;
        match finding.level {
            Level::Note => Self::Know,
            _ if finding.class() == Class::Secret && is_committed => Self::Revoke,
            _ if finding.only_past.is_some() || !cleanup(finding).is_empty() => Self::Rewrite,
            _ => Self::Fix,
        }
    }

    /// Its word in documents.
    pub fn word(self) -> &'static str {
        match self {
            Self::Revoke => "revoke",
            Self::Rewrite => "rewrite",
            Self::Fix => "fix",
            Self::Know => "know",
        }
    }

    /// What it means, in a few words.
    pub fn meaning(self) -> &'static str {
        match self {
            Self::Revoke => {
                "make it worthless where it was issued, then take it out of the history"
            }
            Self::Rewrite => "take it out of the history, or publish a copy without one",
            Self::Fix => "put it right in the next commit, or accept it with a reason",
            Self::Know => "nothing, if you know it",
        }
    }
}

/// The commands as they are shown below a finding, each on a line of its own.
pub fn cleanup_lines(finding: &Finding) -> Vec<String> {
    let lines = cleanup(finding).into_iter();
    lines
        .map(|line| {
            if line.starts_with('#') {
                Paint::Quiet.on(line)
            } else {
                Paint::Type.on(line)
            }
        })
        .collect()
}
