//! The machine formats: what is written as JSON. docs/schemas/ holds a JSON Schema of each.

use base64::Engine;
use bstr::{BStr, ByteSlice};
use redshank_core::audit::{Audited, Standing, Stray};
use redshank_core::effect::{Amount, Effect};
use redshank_core::findings::{Class, Exposure, Finding, Level, Past};
use redshank_core::journal::Done;
use redshank_core::mute::Muted;
use redshank_core::plan::{Act, Plan};
use redshank_core::rehearse::{Left, Missing};
use redshank_core::rules::Reach;
use redshank_core::size::Bytes;
use redshank_core::templates::Confidence;
use redshank_core::tree::{Entry, State, Unread};
use schemars::JsonSchema;
use serde::Serialize;
use std::borrow::Cow;
use std::path::Path;

/// A path. Where its bytes aren't UTF-8, they stand beside it in base64.
#[derive(Serialize, JsonSchema)]
pub struct PathOut {
    /// Relative to the repository's top; a folder ends in a slash. Bytes that aren't UTF-8 are replaced.
    pub path: String,
    /// The bytes, in base64, where they aren't UTF-8.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub path_b64: Option<String>,
}

impl PathOut {
    /// The path as it is written.
    pub fn of(path: &BStr) -> Self {
        let (path, path_b64) = text(path);
        Self { path: path.into_owned(), path_b64 }
    }
}

/// Bytes as text; and where they aren't UTF-8, in base64 beside it.
pub fn text(bytes: &BStr) -> (Cow<'_, str>, Option<String>) {
    match bytes.to_str() {
        Ok(text) => (text.into(), None),
        Err(_) => (bytes.to_str_lossy(), Some(base64::engine::general_purpose::STANDARD.encode(bytes))),
    }
}

/// A top folder as it is written.
pub fn root(top: &Path) -> String {
    top.to_string_lossy().into_owned()
}

/// `check --format json`.
#[derive(Serialize, JsonSchema)]
#[schemars(rename = "redshank.check/1")]
pub struct CheckOut {
    /// Always `redshank.check/1`.
    pub schema: &'static str,
    /// The top folder.
    pub root: String,
    /// What was found, sorted by what to do first.
    pub findings: Vec<FindingOut>,
    /// How much was found.
    pub summary: SummaryOut,
    /// What could not be read.
    pub unread: Vec<UnreadOut>,
}

/// A finding.
#[derive(Serialize, JsonSchema)]
pub struct FindingOut {
    /// The same as long as its cause is the same.
    pub id: String,
    /// What is wrong.
    pub class: Class,
    /// Which rule of ours found it, as `class/name`.
    pub rule: String,
    /// How bad it is.
    pub level: Level,
    /// Where.
    #[serde(flatten)]
    pub path: PathOut,
    /// From 1.
    pub line: Option<u64>,
    /// In bytes; of a folder, the sum of its files.
    pub size: Option<Bytes>,
    /// How many files it stands for.
    pub files: u64,
    /// git's verdict on the path.
    pub state: State,
    /// How far the file got.
    pub exposure: Exposure,
    /// What became of the file so far, where a commit holds it and its contents matter.
    pub past: Option<Past>,
    /// Where else the same is found.
    pub also: Vec<SpotOut>,
    /// What it is.
    pub message: String,
    /// What gives it away; never a whole secret.
    pub evidence: Option<String>,
    /// What mends it.
    pub remedy: String,
}

/// Another place of a finding.
#[derive(Serialize, JsonSchema)]
pub struct SpotOut {
    /// Where.
    #[serde(flatten)]
    pub path: PathOut,
    /// From 1.
    pub line: Option<u64>,
    /// git's verdict on the path.
    pub state: State,
}

impl From<&Finding> for SpotOut {
    fn from(place: &Finding) -> Self {
        Self { path: PathOut::of(place.path.as_bstr()), line: place.line, state: place.state }
    }
}

impl From<&Finding> for FindingOut {
    fn from(finding: &Finding) -> Self {
        Self {
            id: finding.id.clone(),
            class: finding.class,
            rule: finding.rule.clone(),
            level: finding.level,
            path: PathOut::of(finding.path.as_bstr()),
            line: finding.line,
            size: finding.size,
            files: finding.files,
            state: finding.state,
            exposure: finding.exposure,
            past: finding.past.clone(),
            also: finding.also.iter().map(SpotOut::from).collect(),
            message: finding.message.clone(),
            evidence: finding.evidence.clone(),
            remedy: finding.remedy_in_words(),
        }
    }
}

/// What a clone of the next commit would hold, and what a run in it left behind.
#[derive(Serialize, JsonSchema)]
pub struct RehearseOut {
    /// `redshank.rehearse/1`.
    pub schema: &'static str,
    /// The top folder.
    pub root: String,
    /// What the clone holds; none where the run was here.
    pub clone: Option<Amount>,
    /// What it would lack: needed, here, and not in it.
    pub missing: Vec<MissingOut>,
    /// The run, if there was one.
    pub run: Option<RunOut>,
}

/// A file or folder that is needed and would not be in the clone.
#[derive(Serialize, JsonSchema)]
pub struct MissingOut {
    /// Which.
    #[serde(flatten)]
    pub path: PathOut,
    /// Why it is needed.
    pub reason: String,
    /// The rule that keeps it out; none if it is only not staged.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub rule: Option<String>,
}

impl From<&Missing> for MissingOut {
    fn from(file: &Missing) -> Self {
        let rule = file.ruling.as_ref().map(|ruling| ruling.rule().text.to_string());
        Self { path: PathOut::of(file.path.as_bstr()), reason: file.reason.clone(), rule }
    }
}

/// A command that ran.
#[derive(Serialize, JsonSchema)]
pub struct RunOut {
    /// Its exit code; none if it was killed.
    pub exit_code: Option<i32>,
    /// How long it took, in seconds.
    pub seconds: f64,
    /// What it left behind.
    #[serde(flatten)]
    pub left: LeftOut,
}

/// What a run left behind.
#[derive(Serialize, JsonSchema)]
pub struct LeftOut {
    /// New, and kept out, by rule.
    pub ignored: Vec<RuledOut>,
    /// New, and not kept out.
    pub unruled: Vec<NewOut>,
    /// Tracked files that it changed.
    pub changed: Vec<PathOut>,
}

/// What one rule keeps out of what is new.
#[derive(Serialize, JsonSchema)]
pub struct RuledOut {
    /// The rule's file.
    pub source: String,
    /// And line, from 1.
    pub line: u32,
    /// The rule.
    pub rule: String,
    /// How much.
    #[serde(flatten)]
    pub amount: Amount,
}

/// Something new that no rule keeps out.
#[derive(Serialize, JsonSchema)]
pub struct NewOut {
    /// A file; a folder, with a slash at its end, if it is new as a whole or holds several files of one kind.
    #[serde(flatten)]
    pub path: PathOut,
    /// How much.
    #[serde(flatten)]
    pub amount: Amount,
    /// The narrowest rule that keeps it out.
    pub rule: String,
}

impl From<&Left> for LeftOut {
    fn from(left: &Left) -> Self {
        let ruled = left.ignored.iter().map(|(ruling, amount)| RuledOut {
            source: ruling.source().shown.to_string(),
            line: ruling.rule().line,
            rule: ruling.rule().text.to_string(),
            amount: *amount,
        });
        let new = left.unruled.iter().map(|new| NewOut {
            path: PathOut::of(new.path.as_bstr()),
            amount: new.amount,
            rule: new.rule.to_string(),
        });
        let changed = left.changed.iter().map(|path| PathOut::of(path.as_bstr())).collect();
        Self { ignored: ruled.collect(), unruled: new.collect(), changed }
    }
}

/// The changes that can be taken back, or were.
#[derive(Serialize, JsonSchema)]
pub struct JournalOut {
    /// `redshank.undo/1`.
    pub schema: &'static str,
    /// The top folder.
    pub root: String,
    /// Each, the oldest first.
    pub changes: Vec<ChangeOut>,
}

/// One of them.
#[derive(Serialize, JsonSchema)]
pub struct ChangeOut {
    /// Its number.
    pub number: u32,
    /// When, in seconds since 1970.
    pub time: u64,
    /// The command that made it.
    pub command: String,
    /// It was taken back.
    pub undone: bool,
    /// It was cut short.
    pub cut_short: bool,
    /// The files that it wrote.
    pub files: Vec<PathOut>,
    /// The files and folders that it moved out of the way.
    pub moved: Vec<PathOut>,
    /// How many paths it took out of the index.
    pub untracked: usize,
}

impl From<&Done> for ChangeOut {
    fn from(done: &Done) -> Self {
        Self {
            number: done.number,
            time: done.time,
            command: done.command.clone(),
            undone: done.undone,
            cut_short: done.cut_short,
            files: done.files.iter().map(|file| PathOut::of(file.as_bstr())).collect(),
            moved: done.moved.iter().map(|path| PathOut::of(path.as_bstr())).collect(),
            untracked: done.untracked,
        }
    }
}

/// The tracked files whose changes are hidden from git.
#[derive(Serialize, JsonSchema)]
pub struct MutesOut {
    /// `redshank.mute/1`.
    pub schema: &'static str,
    /// The top folder.
    pub root: String,
    /// Each of them.
    pub muted: Vec<MutedOut>,
}

/// One of them.
#[derive(Serialize, JsonSchema)]
pub struct MutedOut {
    /// Which.
    #[serde(flatten)]
    pub path: PathOut,
    /// It differs from what git has.
    pub changed: bool,
    /// The branch that this one follows has changed it.
    pub changed_upstream: bool,
}

impl From<&Muted> for MutedOut {
    fn from(muted: &Muted) -> Self {
        let path = PathOut::of(muted.path.as_bstr());
        Self { path, changed: muted.changed, changed_upstream: muted.changed_upstream }
    }
}

/// How many findings there are.
#[derive(Serialize, JsonSchema)]
pub struct SummaryOut {
    /// Of that level.
    pub errors: usize,
    /// Of that level.
    pub warnings: usize,
    /// Of that level.
    pub notes: usize,
    /// By class.
    pub classes: Vec<ClassOut>,
    /// Left out because somebody accepted them.
    pub accepted: usize,
}

/// A class of findings, summed up.
#[derive(Serialize, JsonSchema)]
pub struct ClassOut {
    /// Which.
    pub class: Class,
    /// How many findings.
    pub findings: usize,
    /// How many files they stand for.
    pub files: u64,
    /// Their sizes, in bytes.
    pub size: Bytes,
}

impl SummaryOut {
    /// Counts findings.
    pub fn of(findings: &[Finding]) -> Self {
        let level = |level| findings.iter().filter(|finding| finding.level == level).count();
        Self {
            errors: level(Level::Error),
            accepted: 0,
            warnings: level(Level::Warning),
            notes: level(Level::Note),
            classes: Class::ALL.into_iter().filter_map(|class| ClassOut::of(class, findings)).collect(),
        }
    }
}

impl ClassOut {
    fn of(class: Class, findings: &[Finding]) -> Option<Self> {
        let of_class: Vec<&Finding> = findings.iter().filter(|finding| finding.class == class).collect();
        // Several findings may stand for one file; it counts once.
        let mut paths: Vec<&Finding> = of_class.clone();
        paths.sort_by(|a, b| a.path.cmp(&b.path));
        paths.dedup_by(|a, b| a.path == b.path);
        (!of_class.is_empty()).then(|| Self {
            class,
            findings: of_class.len(),
            files: paths.iter().map(|finding| finding.files).sum(),
            size: paths.iter().filter_map(|finding| finding.size).sum(),
        })
    }
}

/// A path that could not be read.
#[derive(Serialize, JsonSchema)]
pub struct UnreadOut {
    /// Which.
    #[serde(flatten)]
    pub path: PathOut,
    /// What the system said.
    pub reason: String,
}

impl From<&Unread> for UnreadOut {
    fn from(unread: &Unread) -> Self {
        Self { path: PathOut::of(unread.path.as_bstr()), reason: unread.reason.clone() }
    }
}

/// `survey --format json`.
#[derive(Serialize, JsonSchema)]
#[schemars(rename = "redshank.survey/1")]
pub struct SurveyOut {
    /// Always `redshank.survey/1`.
    pub schema: &'static str,
    /// The top folder.
    pub root: String,
    /// Whether it is a repository.
    pub repository: bool,
    /// Whether it has a commit.
    pub has_commit: bool,
    /// What the next commit of everything would hold.
    pub to_commit: Amount,
    /// Files tracked already.
    pub tracked: Amount,
    /// Files not tracked and not ignored.
    pub candidates: Amount,
    /// What would be committed, by top folder, biggest first; files at the top under the empty path.
    pub folders: Vec<FolderOut>,
    /// The projects found.
    pub projects: Vec<ProjectOut>,
    /// How much was found, by level and class.
    pub summary: SummaryOut,
    /// The next sensible command.
    pub next: String,
    /// What could not be read.
    pub unread: Vec<UnreadOut>,
}

/// A top folder.
#[derive(Serialize, JsonSchema)]
pub struct FolderOut {
    /// Which.
    #[serde(flatten)]
    pub path: PathOut,
    /// What of it would be committed.
    #[serde(flatten)]
    pub amount: Amount,
}

/// A project.
#[derive(Serialize, JsonSchema)]
pub struct ProjectOut {
    /// The name of its template.
    pub template: String,
    /// What it is.
    pub title: String,
    /// Its folder.
    #[serde(flatten)]
    pub folder: PathOut,
    /// The file by which it was recognised.
    pub evidence: String,
    /// How much that proves.
    pub confidence: Confidence,
}

/// `draft --format json` and `try --format json`.
#[derive(Serialize, JsonSchema)]
#[schemars(rename = "redshank.effect/1")]
pub struct EffectOut {
    /// Always `redshank.effect/1`.
    pub schema: &'static str,
    /// The top folder.
    pub root: String,
    /// The rules that are new.
    pub rules: Vec<String>,
    /// Whether they were written.
    pub written: bool,
    /// What would be committed before.
    pub before: Amount,
    /// What would be committed after.
    pub after: Amount,
    /// Paths that change from candidate to ignored.
    pub kept_out: Vec<PathOut>,
    /// Paths that change from ignored to candidate.
    pub let_in: Vec<PathOut>,
    /// What else there is to know, each in a sentence.
    pub notes: Vec<String>,
}

impl EffectOut {
    /// An effect as it is written.
    pub fn of(top: &Path, rules: Vec<String>, written: bool, effect: &Effect) -> Self {
        let paths = |entries: &[Entry]| entries.iter().map(|entry| PathOut::of(entry.path.as_bstr())).collect();
        Self {
            schema: "redshank.effect/1",
            root: root(top),
            rules,
            written,
            before: effect.before,
            after: effect.after,
            kept_out: paths(&effect.kept_out),
            let_in: paths(&effect.let_in),
            notes: Vec::new(),
        }
    }
}

/// `rules --format json`.
#[derive(Serialize, JsonSchema)]
#[schemars(rename = "redshank.rules/1")]
pub struct RulesOut {
    /// Always `redshank.rules/1`.
    pub schema: &'static str,
    /// The top folder.
    pub root: String,
    /// All rules in force, in order of power.
    pub rules: Vec<RuleRowOut>,
    /// Files that only look like ignore files.
    pub strays: Vec<StrayOut>,
}

/// A rule in force.
#[derive(Serialize, JsonSchema)]
pub struct RuleRowOut {
    /// The file that holds it, as git prints it.
    pub source: String,
    /// Its line, from 1.
    pub line: u32,
    /// The rule.
    pub pattern: String,
    /// Who it is for.
    pub reach: Reach,
    /// Whether it lets in.
    pub negated: bool,
    /// What it decides about now.
    #[serde(flatten)]
    pub catches: Amount,
    /// In a word: `works`, `catches-nothing`, `duplicate`, `overridden`, `cannot-work`, `swallows-its-file`, `only-tracked`,
    /// `misread`, `impossible`.
    pub standing: &'static str,
    /// The same in a sentence.
    pub message: String,
}

impl From<&Audited> for RuleRowOut {
    fn from(audited: &Audited) -> Self {
        let (source, rule) = (&audited.list.source, audited.rule());
        Self {
            source: source.shown.to_str_lossy().into_owned(),
            line: rule.line,
            pattern: rule.text.to_str_lossy().into_owned(),
            reach: source.reach,
            negated: rule.negated,
            catches: audited.catches,
            standing: match audited.standing {
                Standing::Works => "works",
                Standing::CatchesNothing => "catches-nothing",
                Standing::Duplicate { .. } => "duplicate",
                Standing::Overridden { .. } => "overridden",
                Standing::CannotWork { .. } => "cannot-work",
                Standing::SwallowsItsFile => "swallows-its-file",
                Standing::OnlyTracked { .. } => "only-tracked",
                Standing::Misread { .. } => "misread",
                Standing::Impossible => "impossible",
            },
            message: audited.message(),
        }
    }
}

/// A file that git does not read as rules.
#[derive(Serialize, JsonSchema)]
pub struct StrayOut {
    /// Which.
    #[serde(flatten)]
    pub path: PathOut,
    /// Why.
    pub because: String,
}

impl From<&Stray> for StrayOut {
    fn from(stray: &Stray) -> Self {
        Self { path: PathOut::of(stray.path.as_bstr()), because: stray.because.to_owned() }
    }
}

/// `prove --format json`.
#[derive(Serialize, JsonSchema)]
#[schemars(rename = "redshank.prove/1")]
pub struct ProveOut {
    /// Always `redshank.prove/1`.
    pub schema: &'static str,
    /// The top folder.
    pub root: String,
    /// How many hold.
    pub passed: usize,
    /// How many don't.
    pub failed: usize,
    /// Each, in the order of the settings.
    pub expectations: Vec<ExpectationOut>,
}

/// An expectation and how it came out.
#[derive(Serialize, JsonSchema)]
pub struct ExpectationOut {
    /// The path that it is about.
    pub path: Option<String>,
    /// Or the pattern of paths.
    pub pattern: Option<String>,
    /// The state that is expected.
    pub state: &'static str,
    /// Why.
    pub because: Option<String>,
    /// Whether it holds.
    pub holds: bool,
    /// How many paths were looked at.
    pub paths: usize,
    /// The paths that are not in that state.
    pub wrong: Vec<PathOut>,
}

/// `tidy --format json`.
#[derive(Serialize, JsonSchema)]
#[schemars(rename = "redshank.tidy/1")]
pub struct TidyOut {
    /// Always `redshank.tidy/1`.
    pub schema: &'static str,
    /// The top folder.
    pub root: String,
    /// Whether the steps were done.
    pub applied: bool,
    /// The steps, in order.
    pub steps: Vec<StepOut>,
    /// What only a person can mend.
    pub left: Vec<FindingOut>,
    /// What would be committed before.
    pub before: Amount,
    /// What would be committed after.
    pub after: Amount,
}

/// A step of a plan.
#[derive(Serialize, JsonSchema)]
pub struct StepOut {
    /// What it does.
    pub act: ActOut,
    /// For which path.
    #[serde(flatten)]
    pub path: PathOut,
    /// The line that it writes into a file of rules or attributes.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pattern: Option<String>,
    /// Why.
    pub reason: String,
    /// The id of the finding that it mends; none for what rules keep out already.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub finding: Option<String>,
    /// How many files and bytes it concerns.
    #[serde(flatten)]
    pub amount: Amount,
}

/// What a step does.
#[derive(Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ActOut {
    /// It adds a rule that keeps files out.
    Ignore,
    /// It adds a rule that lets a file in.
    LetIn,
    /// It takes files out of git's index; they stay on disk.
    StopTracking,
    /// It writes a sample without values beside an environment file; `path` is the sample.
    Sample,
    /// It writes a rule as it was meant.
    Mend,
    /// It gives a file the name that was meant; `path` is that name.
    Rename,
    /// It adds a line to the attributes at the top.
    Attribute,
    /// It moves out of the way what can be made again.
    Remove,
}

impl TidyOut {
    /// A plan as it is written.
    pub fn of(top: &Path, plan: &Plan, applied: bool) -> Self {
        let steps = plan.steps.iter().map(|step| {
            let (act, pattern) = match &step.act {
                Act::Ignore(pattern) => (ActOut::Ignore, Some(pattern)),
                Act::LetIn(pattern) => (ActOut::LetIn, Some(pattern)),
                Act::Mend { with, .. } => (ActOut::Mend, Some(with)),
                Act::Attribute(line) => (ActOut::Attribute, Some(line)),
                Act::StopTracking => (ActOut::StopTracking, None),
                Act::Sample(_) => (ActOut::Sample, None),
                Act::Rename(_) => (ActOut::Rename, None),
                Act::Remove { .. } => (ActOut::Remove, None),
            };
            let pattern = pattern.map(|pattern| pattern.to_str_lossy().into_owned());
            let path = match &step.act {
                Act::Sample(new) | Act::Rename(new) => new.as_bstr(),
                _ => step.path.as_bstr(),
            };
            StepOut {
                act,
                path: PathOut::of(path),
                pattern,
                reason: step.reason.clone(),
                finding: step.finding.clone(),
                amount: step.amount,
            }
        });
        Self {
            schema: "redshank.tidy/1",
            root: root(top),
            applied,
            steps: steps.collect(),
            left: plan.left.iter().map(FindingOut::from).collect(),
            before: plan.effect.before,
            after: plan.effect.after,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use schemars::{Schema, schema_for};
    use std::path::PathBuf;

    /// With `REDSHANK_WRITE_SCHEMAS` set, the files are written instead of compared.
    #[test]
    fn the_published_schemas_are_those_of_the_program() {
        let schemas: [(&str, Schema); 10] = [
            ("undo", schema_for!(JournalOut)),
            ("rehearse", schema_for!(RehearseOut)),
            ("mute", schema_for!(MutesOut)),
            ("check", schema_for!(CheckOut)),
            ("survey", schema_for!(SurveyOut)),
            ("effect", schema_for!(EffectOut)),
            ("tidy", schema_for!(TidyOut)),
            ("rules", schema_for!(RulesOut)),
            ("prove", schema_for!(ProveOut)),
            ("template", schema_for!(redshank_core::templates::Template)),
        ];
        let folder = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../../docs/schemas");
        for (name, schema) in schemas {
            let text = serde_json::to_string_pretty(&schema).unwrap() + "\n";
            let path = folder.join(format!("{name}.json"));
            if std::env::var_os("REDSHANK_WRITE_SCHEMAS").is_some() {
                std::fs::write(path, text).unwrap();
            } else {
                assert_eq!(std::fs::read_to_string(path).unwrap(), text, "{name}");
            }
        }
    }
}
