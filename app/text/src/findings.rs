//! What is said of findings: what each is, what gives it away, what fixes it.

use super::rules::{fault, stray_reason};
use crate::{count, shown};
use redshank_findings::{
    Cause, Evidence, Finding, Level, LineEnds, NameFault, NextStep, ScanResult,
};
use redshank_git::HistoryCut;
use redshank_secrets::{Downgrade, masked};
use redshank_worktree::Class;

/// How many other places a message names.
const NAMED: usize = 3;

/// What a class of findings is.
pub fn class(class: Class) -> &'static str {
    match class {
        Class::Secret => "keys, tokens and passwords, and the files that hold them",
        Class::Oversized => "files and folders too large for git",
        Class::Generated => "made by a tool, which can make it again",
        Class::Personal => "personal files, or files of one machine",
        Class::Reserved => "what others may not be given",
        Class::Needed => "what a fresh clone would lack",
        Class::Rule => "rules that don't do what they seem to",
    }
}

/// What a level of findings is.
pub fn level(level: Level) -> &'static str {
    match level {
        Level::Error => "a stranger who reads it can do harm, or a host refuses it",
        Level::Warning => "it doesn't belong",
        Level::Note => "many keep it on purpose, or it is among samples",
    }
}

/// The path, and the line behind it.
pub fn place(finding: &Finding) -> String {
    let path = shown(&finding.path);
    match finding.line {
        Some(line) => format!("{path}:{line}"),
        None => path,
    }
}

/// What a finding is, in a sentence that shows no secret.
pub fn message(finding: &Finding) -> String {
    let mut text = cause(&finding.cause);
    if !finding.also.is_empty() {
        let named: Vec<String> = finding
            .also
            .iter()
            .take(NAMED)
            .map(|other| match other.line {
                Some(line) => format!("{}:{line}", other.path),
                None => other.path.to_string(),
            })
            .collect();
        text += &format!("; also in {}", named.join(", "));
        if finding.also.len() > NAMED {
            text += &format!(" and {} more", finding.also.len() - NAMED);
        }
    }
    match finding.only_past {
        Some(true) => text += "; an older version of it",
        Some(false) => text += "; it is gone from the tree, but the history keeps it",
        None => {}
    }
    if let Some(until) = finding.accepted_until {
        text += &format!("; accepted only until {until}");
    }
    masked(&text)
}

pub(super) fn cause(cause: &Cause) -> String {
    match cause {
        Cause::Said(said) => said.clone(),
        Cause::Credential {
            title, downgrade, ..
        } => match downgrade {
            Some(downgrade) => format!("{title}; {}", downgrade_reason(*downgrade)),
            None => title.clone(),
        },
        Cause::LinkForFolder(said) => {
            format!("{said}; it is a symbolic link, which a rule for folders misses")
        }
        Cause::MachinePath => "a path that only works on one person's machine".to_owned(),
        Cause::HomePath => "a path with the name of somebody's home folder".to_owned(),
        Cause::InternalHost { host } => format!("{host}, an address inside a network"),
        Cause::NoLicence => "no licence: by law others may only look at it".to_owned(),
        Cause::CopyWithoutLicence => {
            "others' work, without the licence that it came with".to_owned()
        }
        Cause::OddAddress { who, commits } => {
            let commits = match commits {
                1 => "1 commit names".to_owned(),
                many => format!("{} commits name", count(*many)),
            };
            format!("{commits} {who}, an address that reaches nobody and shows a machine's name")
        }
        Cause::People { who, all } => {
            let more = all - who.len();
            let more = match more {
                0 => String::new(),
                more => format!(" and {} more", count(more as u64)),
            };
            format!("everybody sees who wrote it: {}{more}", who.join(", "))
        }
        Cause::Origin(judgement) => {
            format!(
                "{}: {}",
                crate::origin(judgement),
                crate::because(judgement)
            )
        }
        Cause::CompanionMissing { extension, reason } => {
            format!("no `{extension}` beside it: {reason}")
        }
        Cause::CompanionAlone { extension } => {
            format!(
                "a `{extension}` with nothing beside it: what it belonged to is gone or ignored"
            )
        }
        Cause::HiddenChanges => "git doesn't see changes to it here; others do not get them, and \
                                 theirs can collide with them"
            .to_owned(),
        Cause::AbsoluteLink => {
            "a symbolic link to a place on this machine; it only works here".to_owned()
        }
        Cause::LinkOutside => {
            "a symbolic link to a path outside the repository; no clone has it".to_owned()
        }
        Cause::BrokenLink => "a symbolic link to what isn't there".to_owned(),
        Cause::LinkToIgnored => {
            "a symbolic link to an ignored path; a clone gets only the link".to_owned()
        }
        Cause::UnportableName(fault) => {
            let because = name_fault(fault);
            format!("Windows can't hold this name: {because}; no clone there is whole")
        }
        Cause::CaseClash { first } => format!(
            "the same name as {first} where upper and lower case are the same; one of them is \
             lost there"
        ),
        Cause::FormClash { first } => format!(
            "the same name as {first} in another form of Unicode; on macOS one of them is lost"
        ),
        Cause::HomeRepository => {
            "the repository is your home folder: whatever no rule ignores there would be committed"
                .to_owned()
        }
        Cause::TopTooHigh => "the whole project is in this folder, and the repository begins a \
                              level above it"
            .to_owned(),
        Cause::RulesTooHigh => "right above the repository there is a .gitignore, which git \
                                doesn't read here"
            .to_owned(),
        Cause::PolicyMissing { from } => {
            format!("the policy from {from} isn't copied here, so nothing of it counts")
        }
        Cause::PolicyOther { from } => {
            format!("the copy of the policy is from {from}, and not what the settings name")
        }
        Cause::PolicyChanged => {
            "the copy of the policy was changed here, and is no longer the policy's".to_owned()
        }
        Cause::BehindPolicy { label, revision } => {
            format!("the block {label} is behind the policy, which is at {revision}")
        }
        Cause::LongPath(length) => {
            format!("the path has {length} characters; Windows takes 260 with the clone's folder")
        }
        Cause::MarkBeforeScript => {
            "a byte-order mark is before its `#!`, so the system doesn't find its interpreter"
                .to_owned()
        }
        Cause::NotExecutable { by } => {
            format!("{by} runs it by its path, but it isn't executable")
        }
        Cause::NeedlesslyExecutable => "executable, but there is nothing to run".to_owned(),
        Cause::Swallowed { reason } => format!("ignored by a rule, but needed: {reason}"),
        Cause::WorkKeptOut => "a rule ignores it, but it looks like source code".to_owned(),
        Cause::NestedRepository => "a repository of its own; git would record the name of its \
                                    commit and none of its files"
            .to_owned(),
        Cause::SubmoduleUnpushed { commit } => format!(
            "a submodule at {}, which no remote of it has, as far as this clone knows: nobody else \
             can fetch it",
            &commit[..commit.len().min(10)]
        ),
        Cause::SubmoduleHere { address } => {
            format!("a submodule from {address}, a place on this machine")
        }
        Cause::TooLarge {
            kind,
            is_for_storage,
            limit,
        } => {
            let kind = kind.map_or(String::new(), |kind| match is_for_storage {
                true => format!("{kind}, which belongs in large-file storage; "),
                false => format!("{kind}; "),
            });
            format!("{kind}over the limit of {limit}; every clone would carry it forever")
        }
        Cause::OnlyHere => {
            "ignored for its size; no clone has it, and the only copy may be here".to_owned()
        }
        Cause::HeavyFolder { limit } => {
            format!("heavy in sum: over the limit of {limit} for a folder")
        }
        Cause::ManyFiles { limit } => {
            format!("heavy in sum: over the limit of {limit} files for a folder")
        }
        Cause::HeavyTotal {
            pattern,
            stats,
            limit,
        } => {
            let what = match pattern {
                Some(pattern) => format!("all that `{pattern}` matches"),
                None => "the whole repository".to_owned(),
            };
            let many = crate::files(stats.files);
            format!(
                "{what} comes to {} in {many}; the limit is {limit}",
                stats.size
            )
        }
        Cause::HeavyPush { size, limit } => {
            format!("the push comes to {size}; the limit is {limit}")
        }
        Cause::StoredCode => "source code in large-file storage: git shows no differences of it \
                              and can't merge it"
            .to_owned(),
        Cause::PointerAlone => {
            "a pointer into large-file storage; its contents are not here".to_owned()
        }
        Cause::PointerUncovered => "a large-file storage pointer, but no attribute says so; a \
         clone would get the pointer"
            .to_owned(),
        Cause::StoredWhole => {
            "its attributes send it to large-file storage, but git holds it whole".to_owned()
        }
        Cause::WouldBeStoredWhole => "its attributes send it to large-file storage, but no \
                                      program for that is set up here; git would hold it whole"
            .to_owned(),
        Cause::Reserved { because, is_public } => match is_public {
            true => format!("{because}; and the repository is public"),
            false => format!("{because}; keep the repository private"),
        },
        Cause::ScriptEnds(LineEnds::Lf) => {
            "a script whose lines end in CR LF; no system but Windows can run it".to_owned()
        }
        Cause::ScriptEnds(LineEnds::Crlf) => {
            "a batch file whose lines end in LF only; Windows can lose its way in it".to_owned()
        }
        Cause::TrackedAnyway => "tracked, although a rule matches it; rules do nothing for \
         tracked files"
            .to_owned(),
        Cause::StaleAcceptance { finding } => {
            format!("accepts {finding}, which is no longer found")
        }
        Cause::AttributeLine(usage) => crate::attribute_status(usage),
        Cause::Rule(status) => fault(status),
        Cause::StrayFile(reason) => {
            let because = stray_reason(*reason);
            format!("looks like a file of git's, but git doesn't read it: {because}")
        }
    }
}

fn name_fault(fault: &NameFault) -> String {
    match fault {
        NameFault::Device(part) => format!("`{part}` is a device there"),
        NameFault::Character(byte) if byte.is_ascii_graphic() => {
            format!("it holds `{}`", char::from(*byte))
        }
        NameFault::Character(byte) => format!("it holds `{}`", byte.escape_ascii()),
        NameFault::End(end) => format!("a part of it ends in `{end}`"),
    }
}

/// What was not looked into, each in a sentence; nothing if all was.
pub fn not_scanned(result: &ScanResult) -> Vec<String> {
    let mut said = Vec::new();
    match result.unopened {
        0 => {}
        1 => said.push("1 archive was not scanned".to_owned()),
        many => said.push(format!("{} archives were not scanned", count(many as u64))),
    }
    if let [first, others @ ..] = &*result.submodules {
        let path = shown(first);
        said.push(match others.len() {
            0 => format!("the repository in {path} was not scanned: run `redshank check` in it"),
            more => format!(
                "{} repositories within this one were not scanned ({path}, …): run `redshank check` \
                 in each",
                more + 1
            ),
        });
    }
    said.extend(result.history_cut.iter().map(history_cut));
    said
}

/// That the history of this clone is cut off.
pub fn history_cut(cut: &HistoryCut) -> String {
    match cut {
        HistoryCut::Shallow { commits } => {
            let first = commits
                .first()
                .map_or("a depth", |name| &name[..name.len().min(10)]);
            let more = match commits.len() {
                0 | 1 => String::new(),
                many => format!(" and {} more", many - 1),
            };
            format!(
                "the history here is cut at {first}{more} (shallow clone), and was not searched \
                 further: git fetch --unshallow"
            )
        }
        HistoryCut::Partial { missing } => format!(
            "the history here is cut: the contents of {} are not in this clone (partial clone), \
             and were not searched",
            versions(*missing)
        ),
        HistoryCut::Grafted => {
            "the history here is cut or changed by grafts or replacements; what \
                                they hide was not searched"
                .to_owned()
        }
    }
}

fn versions(many: usize) -> String {
    match many {
        1 => "1 file version".to_owned(),
        many => format!("{} file versions", count(many as u64)),
    }
}

/// How many findings there are of each level, such as `2 warnings, 1 note`; empty for none.
pub fn level_counts(errors: usize, warnings: usize, notes: usize) -> String {
    let counts = [(errors, "error"), (warnings, "warning"), (notes, "note")];
    let counts = counts.iter().filter(|(number, _)| *number > 0);
    let counts: Vec<String> = counts
        .map(|(number, word)| format!("{number} {word}{}", if *number == 1 { "" } else { "s" }))
        .collect();
    counts.join(", ")
}

/// What gives a finding away; never a whole secret.
pub fn evidence(finding: &Finding) -> Option<String> {
    finding.evidence.as_ref().map(|seen| masked(&seen_by(seen)))
}

pub(super) fn seen_by(evidence: &Evidence) -> String {
    match evidence {
        Evidence::FirstBytes => "by its first bytes".to_owned(),
        Evidence::FirstLines => "by its first lines".to_owned(),
        Evidence::LongLines => "by its lines, which nobody types".to_owned(),
        Evidence::Name => "by its name".to_owned(),
        Evidence::Note(object) => {
            format!("in the note on {}", &object[..object.len().min(10)])
        }
        Evidence::File(path) => format!("by {path}"),
        Evidence::HomeFolder => "a home folder".to_owned(),
        Evidence::LinkTarget(target) => format!("to {target}"),
        Evidence::Secret(secret) => secret.to_string(),
        Evidence::Extension(extension, by) => {
            let by = by.as_ref().map_or(String::new(), |by| seen_by(by));
            format!("`*{extension}`, {by}")
        }
        Evidence::Paths(paths, others) => {
            let named: Vec<String> = paths.iter().map(ToString::to_string).collect();
            let others = if *others { " and others" } else { "" };
            named.join(", ") + others
        }
        Evidence::Reserved(pattern) => format!("[[reserved]] {pattern}"),
        Evidence::Ruling {
            source,
            line,
            pattern,
        } => format!("{source}, line {line}: `{pattern}`"),
        Evidence::Pattern(pattern) => format!("`{pattern}`"),
        Evidence::Accepted(rule, path) => format!("{rule} in {path}"),
    }
}

/// The next sensible command, and what it is for.
pub fn next_step(step: NextStep) -> (&'static str, &'static str) {
    match step {
        NextStep::Init => ("git init", "make it a repository; nothing is added by that"),
        NextStep::Draft => (
            "redshank draft",
            "show rules for these projects; --write writes them",
        ),
        NextStep::Refresh => (
            "redshank draft --refresh",
            "the folder of a block of rules moved or went; --write takes the block along",
        ),
        NextStep::Check => (
            "redshank check",
            "see each finding, then `redshank tidy` for what fixes it",
        ),
        NextStep::AddAll => ("git add --all", "no finding is left but notes"),
        NextStep::Nothing => ("git status", "nothing to do here"),
    }
}

/// Why a credential hurts less than others.
fn downgrade_reason(downgrade: Downgrade) -> &'static str {
    match downgrade {
        Downgrade::Test => "it is among tests",
        Downgrade::Example => "it is among examples",
        Downgrade::Documentation => "it is in documentation",
        Downgrade::LooksReal => "it is in documentation, but looks real",
        Downgrade::Vendored => "it came with somebody else's code",
        Downgrade::Development => "it is for development only",
        Downgrade::StandIn => "it looks like a placeholder",
        Downgrade::Local => "it only works on this machine",
        Downgrade::Nearby => "it only works in your network",
        Downgrade::Encrypted => "it is encrypted",
        Downgrade::Expired => "it has expired",
        Downgrade::Publishable => "meant to be public by its issuer; limit what it may do there",
    }
}
