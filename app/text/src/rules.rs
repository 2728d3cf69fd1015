//! What is said of rules.

use crate::{count, shown};
use bstr::{BStr, ByteSlice};
use redshank_rules::{NearReason, RuleScope, Ruling, Source, excerpt};
use redshank_secrets::masked;
use redshank_templates::{Loss, TakenFile, WhyRemoved};
use redshank_worktree::usage::{ImpossibleReason, RuleStatus, RuleUsage, StrayReason};

/// A pattern as it is shown: not longer than anybody would read, and no secret of it whole. Any
/// file may be named as one of rules.
pub fn pattern(pattern: &BStr) -> String {
    shown(
        masked(&excerpt(pattern).to_str_lossy())
            .as_bytes()
            .as_bstr(),
    )
}

/// Where a rule is, and the rule.
pub fn ruling(ruling: &Ruling) -> String {
    let (source, line) = (&ruling.source().shown, ruling.rule().line);
    let rule = pattern(ruling.rule().text.as_bstr());
    format!("{source}, line {line}: `{rule}`")
}

/// Whom a rule is for.
pub fn scope(scope: RuleScope) -> &'static str {
    match scope {
        RuleScope::Team => "for everyone",
        RuleScope::Folder => "for everyone, in this folder",
        RuleScope::Clone => "only in this clone",
        RuleScope::Personal => "only for you",
    }
}

/// Why a line can go.
pub fn why_removed(because: &WhyRemoved) -> &'static str {
    match because {
        WhyRemoved::Repeated { .. } => "repeated further down",
        WhyRemoved::Covered { .. } => "covered by another line",
        WhyRemoved::NoEffect => "without effect: the folder is ignored",
        WhyRemoved::Merged { .. } => "replaced by one rule for all",
        WhyRemoved::Foreign { .. } => "of project types that aren't here",
    }
}

/// What a pattern means where it is, in words (gitignore(5), pattern format).
pub fn meaning(pattern: &BStr, source: &Source) -> String {
    let text = shown(pattern);
    let (does, body) = match text.strip_prefix('!') {
        Some(body) => ("re-includes", body),
        None => ("ignores", text.as_str()),
    };
    let bare = body.trim_end_matches('/');
    let what = match (body.ends_with('/'), bare.contains(['*', '?', '['])) {
        (true, _) => "every folder",
        (false, true) => "every file and folder",
        (false, false) => "the file or folder",
    };
    let is_anchored = bare.contains('/') && !bare.starts_with("**/");
    let place = match (is_anchored, source.base.is_top()) {
        (true, true) => "at exactly this path from the top".to_owned(),
        (true, false) => format!("at exactly this path from {}", shown(&source.base)),
        (false, true) => "of this name, at any depth".to_owned(),
        (false, false) => format!("of this name, anywhere in {}", shown(&source.base)),
    };
    format!("{does} {what} {place}; {}", scope(source.scope))
}

/// What a rule amounts to.
pub fn status(usage: &RuleUsage) -> String {
    match &usage.status {
        RuleStatus::Works if usage.rule().negated => "re-includes".to_owned(),
        RuleStatus::Works => "ignores".to_owned(),
        other => fault(other),
    }
}

/// What fixes a rule that can't do what it seems to; nothing where no one fix is meant.
pub fn fix(status: &RuleStatus) -> Option<String> {
    Some(match status {
        RuleStatus::Misread { corrected, .. } => {
            format!("did you mean `{}`?", pattern(corrected.as_bstr()))
        }
        RuleStatus::CannotWork { folder, .. } => format!(
            "`/{}*` instead of the rule that ignores the folder leaves it open",
            shown(folder)
        ),
        RuleStatus::SwallowsItsFile => "`!.gitignore` behind it keeps the file".to_owned(),
        RuleStatus::Impossible { because } => match because {
            ImpossibleReason::Unfinished => {
                "put a backslash before `[` or `\\` to match it literally"
            }
            ImpossibleReason::ConflictMark => "finish the merge: keep the lines that you want",
            ImpossibleReason::Quotes => "remove the quotes",
            ImpossibleReason::Expansion | ImpossibleReason::Elsewhere => {
                "what is outside the repository needs no rule; name a path below this file"
            }
            ImpossibleReason::Alternatives => "write one pattern a line",
            ImpossibleReason::DoubleNegation => "remove one `!`",
            ImpossibleReason::EmptyPart => "write one slash",
            ImpossibleReason::CarriageReturn => "save the file with LF line endings",
            ImpossibleReason::Syntax => "remove the line",
            ImpossibleReason::AttributeLine => {
                "move it to .gitattributes: `redshank add --attributes`"
            }
        }
        .to_owned(),
        RuleStatus::Works
        | RuleStatus::CatchesNothing
        | RuleStatus::Duplicate { .. }
        | RuleStatus::Overridden { .. }
        | RuleStatus::OnlyTracked { .. } => return None,
    })
}

/// That a rule which is not written yet would do nothing, or not what it seems to, and why; nothing
/// if it works.
pub fn in_vain(usage: &RuleUsage) -> Option<String> {
    if usage.status == RuleStatus::Works {
        return None;
    }
    let rule = pattern(usage.rule().text.as_bstr());
    let fix = fix(&usage.status).map_or(String::new(), |fix| format!("; {fix}"));
    Some(format!("`{rule}`: {}{fix}", fault(&usage.status)))
}

/// What is wrong with a rule, or that it works.
pub fn fault(status: &RuleStatus) -> String {
    match status {
        RuleStatus::Works => "works".to_owned(),
        RuleStatus::CatchesNothing => "matches nothing".to_owned(),
        RuleStatus::Duplicate { line } => format!("repeated in line {line}, which counts"),
        RuleStatus::Overridden { source, line } => {
            format!("has no effect: {source}:{line} decides these files")
        }
        RuleStatus::CannotWork {
            folder,
            source,
            line,
        } => format!("cannot work: {folder} is ignored by {source}:{line}"),
        RuleStatus::SwallowsItsFile => "ignores the file that it is in".to_owned(),
        RuleStatus::OnlyTracked { files: 1 } => {
            "matches only one file, which is tracked already".to_owned()
        }
        RuleStatus::OnlyTracked { files } => {
            format!("matches only {files} files, which are tracked already")
        }
        RuleStatus::Misread { because, .. } => near_reason(*because).to_owned(),
        RuleStatus::Impossible { because } => impossible_reason(*because).to_owned(),
    }
}

fn impossible_reason(reason: ImpossibleReason) -> &'static str {
    match reason {
        ImpossibleReason::Unfinished => {
            "no path can match: an open bracket, or a backslash at the end"
        }
        ImpossibleReason::ConflictMark => "a merge is unfinished: this is a conflict mark",
        ImpossibleReason::Quotes => "no path can match: the quotes belong to the pattern",
        ImpossibleReason::Expansion => {
            "no path can match: git expands neither `~` nor variables in patterns"
        }
        ImpossibleReason::Elsewhere => {
            "no path can match: a pattern is about what is below its ignore file"
        }
        ImpossibleReason::Alternatives => {
            "no path can match: patterns have no alternatives; write one a line"
        }
        ImpossibleReason::DoubleNegation => "no path can match: one `!` makes an exception",
        ImpossibleReason::EmptyPart => "no path can match: it has two slashes in a row",
        ImpossibleReason::CarriageReturn => {
            "no path can match: a carriage return is in it, so its lines end as no system's do"
        }
        ImpossibleReason::Syntax => "no path can match: git's ignore files have no syntax lines",
        ImpossibleReason::AttributeLine => "a line of attributes, which ignores nothing",
    }
}

/// Why a rule doesn't match, or isn't read as it was meant.
pub fn near_reason(reason: NearReason) -> &'static str {
    match reason {
        NearReason::Anchored => "the leading slash anchors it to this file's folder",
        NearReason::LetterCase => "upper and lower case differ",
        NearReason::FoldersOnly => "it ends in a slash, so it matches folders only",
        NearReason::SpaceAtEnd => "white space at its end belongs to the pattern",
        NearReason::SpaceAtStart => "white space at its start belongs to the pattern",
        NearReason::CommentBehind => "a comment must have a line of its own",
        NearReason::BackSlashes => "backslashes don't separate folders",
        NearReason::DotSlash => "a pattern can't start with `./`",
    }
}

/// Why git doesn't read a file that looks like an ignore file.
pub fn stray_reason(reason: StrayReason) -> &'static str {
    match reason {
        StrayReason::SymbolicLink => "it is a symbolic link; git follows none here",
        StrayReason::Utf16 => "it is UTF-16; git reads UTF-8 only",
        StrayReason::LetterCase => "upper and lower case count in its name",
        StrayReason::ExtraExtension => "its name has an extension too many",
        StrayReason::Misspelt => "its name is misspelt",
        StrayReason::Attributes => "git's file of attributes is `.gitattributes`",
    }
}

/// What a rule takes away, in sentences: what is needed, and what somebody wrote.
pub fn taken_away(taken: &[TakenFile]) -> Vec<String> {
    let named = |which: &dyn Fn(&Loss) -> bool| -> Option<(usize, String)> {
        let of_kind: Vec<&TakenFile> = taken.iter().filter(|one| which(&one.loss)).collect();
        let paths: Vec<String> = of_kind
            .iter()
            .take(NAMED)
            .map(|one| match &one.loss {
                Loss::Authored { by: Some(by) } => {
                    format!("{} ({} refers to it)", shown(&one.path), shown(by))
                }
                _ => shown(&one.path),
            })
            .collect();
        let more = match of_kind.len().saturating_sub(NAMED) {
            0 => String::new(),
            more => format!(" and {more} more"),
        };
        (!of_kind.is_empty()).then(|| (of_kind.len(), paths.join(", ") + &more))
    };
    let mut said = Vec::new();
    if let Some((many, paths)) = named(&|loss| matches!(loss, Loss::Authored { .. })) {
        let files = if many == 1 {
            "source file"
        } else {
            "source files"
        };
        said.push(format!(
            "this takes away {} {files}: {paths}",
            count(many as u64)
        ));
    }
    let kinds: [(Loss, &str); 3] = [
        (Loss::Needed, "this takes away what a project here needs"),
        (Loss::KeepsFolder, "this takes away what keeps a folder"),
        (Loss::Sample, "this takes away a sample that others fill in"),
    ];
    for (kind, words) in kinds {
        if let Some((_, paths)) = named(&|loss| *loss == kind) {
            said.push(format!("{words}: {paths}"));
        }
    }
    said
}

/// At most this many files are named.
const NAMED: usize = 3;
