//! What fixes findings, in words.

use super::cleanup::cleanup;
use super::findings::seen_by;
use super::rules::pattern;
use crate::quoted;
use bstr::{BStr, ByteSlice};
use redshank_findings::{ByHand, Cause, Evidence, Exposure, Finding, Level, Past, Remedy};
use redshank_rules::RepoPath;
use redshank_secrets::masked;
use redshank_worktree::Class;
use redshank_worktree::settings;
use redshank_worktree::tree::State;

/// What fixes a finding, in a sentence.
pub fn remedy(finding: &Finding) -> String {
    let is_tracked = finding.state == State::Tracked;
    let mut words = match &finding.remedy {
        Remedy::KeepOut(keep_out) => {
            let pattern = &keep_out.rule.pattern;
            if is_tracked {
                format!(
                    "stop tracking it (it stays on disk) and ignore it with `{pattern}`: \
                 redshank tidy"
                )
            } else {
                format!("ignore it with `{pattern}`: redshank tidy")
            }
        }
        Remedy::LetIn { rule, .. } => {
            format!("re-include it with `{}`: redshank tidy", rule.pattern)
        }
        Remedy::Fix { with, .. } => {
            let rule = with.lines().next_back().unwrap_or_default().as_bstr();
            format!("write `{rule}`: redshank tidy")
        }
        Remedy::Attribute { line, .. } => {
            format!("add `{}` to .gitattributes: redshank tidy", line.pattern)
        }
        Remedy::Mode { is_executable } => {
            let flag = if *is_executable { "+x" } else { "-x" };
            format!("chmod {flag} {}: redshank tidy", quoted(&finding.path))
        }
        Remedy::ByHand(what) => by_hand(finding, what),
    };
    words += &lasting(finding);
    if !cleanup(finding).is_empty() {
        words += "; `-v` lists the commands";
    }
    if let Some(past) = &finding.past {
        words += &format!("; {}", past_in_words(past));
    }
    masked(&words)
}

/// What stays although the file is corrected, and what is to be done about that.
fn lasting(finding: &Finding) -> String {
    let path = quoted(&finding.path);
    let at_issuer = match &finding.cause {
        Cause::Credential {
            replace: Some(page),
            ..
        } => format!(" ({page})"),
        _ => String::new(),
    };
    let is_aside = matches!(
        finding.remedy,
        Remedy::ByHand(ByHand::DropStash { .. } | ByHand::RemoveNote | ByHand::ExpireReflog)
    );
    if is_aside {
        return String::new();
    }
    match (finding.class(), finding.exposure) {
        (Class::Secret, _) if finding.level == Level::Note => String::new(),
        (Class::Secret, Exposure::Staged) => {
            format!(
                "; it is only staged: `git restore --staged {path}` (or `git rm --cached \
                 {path}`) unstages it"
            )
        }
        (Class::Secret, Exposure::Committed) => format!(
            "; not pushed, as far as this clone knows, but in the history: rewrite it before you \
             push; revoke the secret{at_issuer} if others use this clone or it was pushed from \
             elsewhere"
        ),
        (Class::Secret, Exposure::Pushed) => format!(
            "; others have it already: revoke it and issue a new one now{at_issuer}, then fix the file"
        ),
        (Class::Oversized, Exposure::Committed) => {
            "; the history carries it until it is rewritten, which is easy before a push".to_owned()
        }
        (Class::Oversized, Exposure::Pushed) => {
            "; every clone carries it until the history is rewritten".to_owned()
        }
        _ => String::new(),
    }
}

fn past_in_words(past: &Past) -> String {
    let many = match past.commits {
        1 => "1 commit".to_owned(),
        many => format!("{many} commits"),
    };
    let first = &past.first[..past.first.len().min(10)];
    let on = match past.remotes.as_slice() {
        [] => String::new(),
        remotes => format!(", on {}", remotes.join(", ")),
    };
    format!("in {many} since {} ({first}){on}", past.since)
}

fn by_hand(finding: &Finding, what: &ByHand) -> String {
    let fixed = match what {
        ByHand::Said(said) => return said.clone(),
        ByHand::IgnoreUnlessOnPurpose { remake } => {
            return format!("unless it is kept on purpose, ignore it; made again by: {remake}");
        }
        ByHand::Unmute => {
            let path = quoted(&finding.path);
            return format!("`redshank unmute {path}` brings them back");
        }
        ByHand::NarrowOrForce { folder } => {
            let by = finding.evidence.as_ref().map_or(String::new(), seen_by);
            return format!(
                "the folder {folder} is ignored, so no exception can work; narrow the rule \
                 ({by}), or `git add --force` the file"
            );
        }
        ByHand::ReadFromEnvironment => {
            let how = from_environment(&finding.path);
            return format!("take the value out of the file and {how}");
        }
        ByHand::SeeMeant(meant) => return see_meant(meant.as_bstr()),
        ByHand::UntrackOrDropRule => {
            let path = quoted(&finding.path);
            return format!(
                "`redshank untrack {path}` stops tracking it; to keep it, remove the rule that \
                 names it"
            );
        }
        ByHand::NarrowOrUntrack => {
            let path = quoted(&finding.path);
            return format!(
                "its folder is ignored, so no exception can re-include it: narrow the rule, or \
                 stop tracking the file with `redshank untrack {path}`"
            );
        }
        ByHand::DropException { pattern: exception } => {
            return format!(
                "`{}` re-includes it: remove that exception, or accept the finding",
                pattern(exception.as_bstr())
            );
        }
        ByHand::WriteNarrowerRule {
            pattern: rule,
            path,
        } => {
            return format!(
                "write a narrower rule: `{}` would also ignore {path}, which no finding is about",
                pattern(rule.as_bstr())
            );
        }
        ByHand::RenameIfMeant(name) => {
            let (from, to) = (quoted(&finding.path), quoted(name));
            return format!("if it should be {name}, rename it: mv {from} {to}");
        }
        ByHand::TakeAcceptanceOut => {
            return format!("take its [[accept]] entry out of {}", settings::FILE);
        }
        ByHand::MoveRepository => {
            "if that isn't meant: move its .git folder to the project's own folder"
        }
        ByHand::UpdatePolicy => "`redshank policy update --write` copies it again",
        ByHand::RefreshBlocks => "`redshank draft --refresh` brings it up to date",
        ByHand::MoveRulesIn => "move it here, if it is for this repository",
        ByHand::DropMark => "save it without a byte-order mark (UTF-8 without BOM)",
        ByHand::IgnoreIfMadeHere => "if it is built here, ignore it; a build makes it again",
        ByHand::MakePathRelative => "make it relative, or read it from the environment",
        ByHand::OpenInEditor => {
            "open the project in its editor, which writes them, and commit both"
        }
        ByHand::DeleteOrLetIn => "delete it, or re-include what it belongs to",
        ByHand::MakeLinkRelative => "make it relative, or ignore it with a rule of your own",
        ByHand::BringTargetIn => "copy its target into the repository, or ignore the link",
        ByHand::FixLink => "fix the link, or delete it",
        ByHand::LetTargetIn => "re-include its target, or ignore the link, too",
        ByHand::Rename => "rename it (`git mv`, if it is tracked)",
        ByHand::RenameOne => "rename one of them",
        ByHand::DeclareSubmodule => {
            "register it (`git submodule add`), or stop tracking it and add its files"
        }
        ByHand::AddSubmodule => {
            "add it with `git submodule add`, delete its .git folder to take in its files, or \
             ignore it"
        }
        ByHand::PushSubmodule => {
            "push it first, from its own folder; its `url` in .gitmodules must be one that others \
             reach"
        }
        ByHand::SeeWhatItHolds => {
            "look at what it holds; ignore it with a rule, or put media and measurements into \
             large-file storage"
        }
        ByHand::ThinOut => {
            "ignore what others don't need, put media into large-file storage, or raise the limit \
             in redshank.toml"
        }
        ByHand::NarrowAttribute => {
            "narrow the line that stores it; `redshank why --attributes` shows it"
        }
        ByHand::FetchContents => "`git lfs pull` fetches them",
        ByHand::DeclareStored => "add it to .gitattributes: `git lfs track`",
        ByHand::Renormalize => "`git add --renormalize` it with the large-file program installed",
        ByHand::StoreOrIgnore => {
            "set up large-file storage (`git lfs install`), then `redshank tidy` sends it there; \
             `redshank tidy --large ignore` ignores it, and then no clone has it"
        }
        ByHand::StoreElsewhere => {
            "set up large-file storage (`git lfs install`), remove the rule, then `redshank tidy`; \
             or accept it, if it is kept elsewhere"
        }
        ByHand::InstallStorage => "install Git LFS and run `git lfs install` before you add it",
        ByHand::NothingWhilePrivate => "nothing, as long as the repository is private",
        ByHand::NarrowShuttingRule => "narrow the rule that ignores the folder: redshank why",
        ByHand::NarrowRule => "narrow the rule, so that others get the file",
        ByHand::FixPattern => "fix the pattern, or take it out",
        ByHand::GiveRightName => "rename it to the name and place of the intended file",
        ByHand::NothingKeptOut => "ignored by a rule; nothing to do",
        ByHand::NothingIfMeant => "nothing, if it belongs there; `redshank accept` records that",
        ByHand::RewriteHistory => "only rewriting history removes it",
        ByHand::RewordCommit => "write its message again without it",
        ByHand::RemakeTag => "make the tag again with another message",
        ByHand::HideHost => "read it from the settings of each place, or accept it with a reason",
        ByHand::AddLicence => "add a LICENSE file at the top, or say in the README what holds",
        ByHand::AddCopiedLicence => "copy its licence beside it, and look what that asks for",
        ByHand::ChangeAddress => {
            "`git config user.email ADDRESS` for the next commits; old ones keep it until the \
             history is rewritten"
        }
        ByHand::AskPeople => "ask them; hosts offer addresses that hide the real one",
        ByHand::RemoveNote => {
            return match &finding.evidence {
                Some(Evidence::Note(object)) => format!("git notes remove {object}"),
                _ => "remove the note with `git notes remove`".to_owned(),
            };
        }
        ByHand::DropStash { entry } => {
            return format!(
                "it is in the stash, which is not pushed: git stash drop stash@{{{entry}}}"
            );
        }
        ByHand::ExpireReflog => {
            "only the reflog of this clone remembers it, and that is not pushed: git reflog expire \
             --expire=now --all && git gc --prune=now"
        }
        ByHand::Nothing => "",
    };
    fixed.to_owned()
}

fn see_meant(meant: &BStr) -> String {
    format!("did you mean `{}`? See redshank rules", pattern(meant))
}

/// How a file of that name reads a value from the environment.
fn from_environment(path: &RepoPath) -> String {
    let name = path.name().to_ascii_lowercase();
    let by_name = LANGUAGES
        .iter()
        .find(|(ends, _)| ends.iter().any(|end| name.ends_with(end.as_bytes())));
    match by_name {
        Some((_, expression)) => format!("read it from the environment: `{expression}`"),
        None => "read it from the environment instead".to_owned(),
    }
}

/// How names of files end, and how a value called NAME is read there.
const LANGUAGES: &[(&[&str], &str)] = &[
    (&[".py", ".pyw", ".ipynb"], "os.environ[\"NAME\"]"),
    (
        &[
            ".js", ".mjs", ".cjs", ".ts", ".tsx", ".jsx", ".vue", ".svelte",
        ],
        "process.env.NAME",
    ),
    (&[".rb", ".rake"], "ENV.fetch(\"NAME\")"),
    (&[".go"], "os.Getenv(\"NAME\")"),
    (&[".rs"], "std::env::var(\"NAME\")"),
    (
        &[".java", ".kt", ".kts", ".groovy", ".gradle", ".scala"],
        "System.getenv(\"NAME\")",
    ),
    (
        &[".cs", ".vb", ".fs"],
        "Environment.GetEnvironmentVariable(\"NAME\")",
    ),
    (&[".php"], "getenv('NAME')"),
    (&[".ps1", ".psm1"], "$env:NAME"),
    (&[".bat", ".cmd"], "%NAME%"),
    (&[".sh", ".bash", ".zsh", "makefile", ".mk"], "$NAME"),
    (&[".r", ".rmd", ".qmd"], "Sys.getenv(\"NAME\")"),
    (&[".jl"], "ENV[\"NAME\"]"),
    (&[".ex", ".exs"], "System.fetch_env!(\"NAME\")"),
    (&[".clj", ".cljs"], "(System/getenv \"NAME\")"),
    (&[".lua"], "os.getenv(\"NAME\")"),
    (&[".pl", ".pm"], "$ENV{NAME}"),
    (&[".dart"], "Platform.environment['NAME']"),
    (&[".swift"], "ProcessInfo.processInfo.environment[\"NAME\"]"),
    (&[".c", ".h", ".cpp", ".cc", ".hpp"], "getenv(\"NAME\")"),
    (&[".tf", ".tfvars"], "var.name, set by TF_VAR_name"),
    (
        &[
            "docker-compose.yml",
            "docker-compose.yaml",
            "compose.yml",
            "compose.yaml",
        ],
        "${NAME}",
    ),
    (
        &["dockerfile", "containerfile"],
        "RUN --mount=type=secret,id=NAME",
    ),
    (
        &[".gitlab-ci.yml"],
        "$NAME, set in the project's CI/CD variables",
    ),
];
