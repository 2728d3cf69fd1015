//! What is known of each open text.

use super::documents::{Document, Documents};
use super::here::Here;
use bstr::{BString, ByteSlice};
use redshank_findings::{Finding, secrets_of};
use redshank_rules::fit;
use redshank_rules::{RepoPath, RepoPathBuf, Source};
use redshank_templates::{Failure, Template, prove, sources_ignored_by};
use redshank_text as text;
use redshank_worktree::attributes::AttributeUsage;
use redshank_worktree::expectations;
use redshank_worktree::expectations::Actual;
use redshank_worktree::settings::{self, Settings};
use redshank_worktree::tree::State;
use redshank_worktree::usage::{FileUsage, RuleStatus, RuleUsage};
use redshank_worktree::{Error, FileStats, Overlay, Verdicts, toml_file};
use std::collections::{BTreeSet, HashMap};
use std::path::Path;

/// What is known of a text.
pub struct Analysis {
    /// The state of the text.
    pub version: i32,
    pub kind: Kind,
    /// The credentials in it.
    pub secrets: Vec<Finding>,
}

/// What a text is, with what is known of it as such.
pub enum Kind {
    Rules(RuleFile),
    Settings(Vec<Fault>),
    Template(Vec<Fault>),
    Attributes(Vec<AttributeUsage>),
    Other,
}

/// A line that something is wrong with.
pub struct Fault {
    pub line: u32,
    pub said: String,
}

/// A file of rules.
pub struct RuleFile {
    /// Where its patterns start.
    pub source: Source,
    /// Its rules, the first line first.
    pub rules: Vec<RuleFacts>,
}

/// What is known of a rule.
pub struct RuleFacts {
    /// Its line, from 0.
    pub line: u32,
    pub text: BString,
    pub negated: bool,
    /// What it amounts to.
    pub status: RuleStatus,
    /// What it decides about.
    pub catches: FileStats,
    /// The first of these paths.
    pub first: Vec<RepoPathBuf>,
    /// The folders of somebody's sources that it ignores, sorted.
    pub takes_work: Vec<IgnoredWork>,
    /// What a template says of it: its name, the reason, and what makes the files again.
    pub reason: Option<(String, String, Option<String>)>,
}

/// A folder of somebody's sources that a rule ignores.
#[derive(Debug, Clone)]
pub struct IgnoredWork {
    pub folder: RepoPathBuf,
    /// The files in it that somebody surely wrote.
    pub files: Vec<RepoPathBuf>,
}

/// At most this many of the paths that a rule decides about are kept by name.
const FIRST: usize = 200;

impl Here<'_> {
    pub fn analysis(&self, document: &Document, open: &Documents) -> Analysis {
        let path = self.path_of(document);
        let kind = match self.snapshot.source_of(&document.path) {
            Some(source) => self.rules(source, open).map(Kind::Rules),
            None if path.as_bstr() == settings::FILE => {
                Some(Kind::Settings(self.settings(document, open)))
            }
            None if is_template(&path) => Some(Kind::Template(template(document))),
            None => {
                let lines = self.attribute_lines(document, open);
                lines.map(Kind::Attributes)
            }
        };
        let secrets = secrets_of(&path, document.text.as_bytes());
        Analysis {
            version: document.version,
            kind: kind.unwrap_or(Kind::Other),
            secrets: secrets.unwrap_or_default(),
        }
    }

    /// The path of a text from the top; for one elsewhere, its name.
    fn path_of(&self, document: &Document) -> RepoPathBuf {
        let below = document.path.strip_prefix(&self.snapshot.top);
        let name = document.path.file_name().map(Path::new);
        let path = below.ok().or(name).unwrap_or(Path::new(""));
        RepoPathBuf::from(redshank_files::path_bytes(path).as_bstr())
    }

    /// The files of rules as they are on the editor's screen.
    pub fn overlay(&self, open: &Documents) -> Overlay {
        let sources = open.iter().filter_map(|document| {
            let source = self.snapshot.source_of(&document.path)?;
            Some((source.shown, document.text.as_bytes().to_vec()))
        });
        sources.collect()
    }

    fn rules(&self, source: Source, open: &Documents) -> Option<RuleFile> {
        let usage = FileUsage::compute(self.snapshot, &source, self.overlay(open)).ok()?;
        let reasons = self.reasons(&source);
        let mut caught: HashMap<usize, Vec<RepoPathBuf>> = HashMap::new();
        for entry in &usage.tree.entries {
            let ruling = entry
                .ruling
                .as_ref()
                .filter(|it| it.source().shown == source.shown);
            if let Some(at) = ruling.and_then(|ruling| at_line(&usage.rules, ruling.rule().line)) {
                let first = caught.entry(at).or_default();
                if first.len() < FIRST {
                    first.push(entry.path.clone());
                }
            }
        }
        let facts = usage.rules.iter().enumerate().map(|(at, rule)| {
            let first = caught.remove(&at).unwrap_or_default();
            let reason = reasons.get(&rule.rule().text).cloned();
            RuleFacts {
                line: rule.rule().line.saturating_sub(1),
                text: rule.rule().text.clone(),
                negated: rule.rule().negated,
                status: rule.status.clone(),
                catches: rule.catches,
                takes_work: self.takes_work(rule, &first),
                first,
                reason,
            }
        });
        Some(RuleFile {
            rules: facts.collect(),
            source,
        })
    }

    /// The folders of somebody's sources that a rule ignores, by a name that tools use as well.
    fn takes_work(&self, rule: &RuleUsage, caught: &[RepoPathBuf]) -> Vec<IgnoredWork> {
        let (Some(survey), base) = (self.survey, &rule.list.source.base) else {
            return Vec::new();
        };
        if rule.rule().negated {
            return Vec::new();
        }
        let text = rule.rule().text.as_bstr();
        let folders = caught.iter().filter_map(|path| {
            let below = path.below(base)?;
            let part = below
                .parts()
                .find(|part| rule.rule().matches(part.bare(), part.is_folder()))
                .filter(|part| part.is_folder())?;
            Some(base.join(part))
        });
        let folders: BTreeSet<RepoPathBuf> = folders.collect();
        let work = folders.into_iter().filter_map(|folder| {
            let mut known = self.work.borrow_mut();
            let files = known
                .entry((folder.clone(), text.to_owned()))
                .or_insert_with(|| sources_ignored_by(survey, &folder, text));
            let files = files.clone()?;
            Some(IgnoredWork { folder, files })
        });
        work.collect()
    }

    /// What templates say of patterns, as they are written for the projects here.
    fn reasons(&self, source: &Source) -> HashMap<BString, (String, String, Option<String>)> {
        let mut reasons = HashMap::new();
        let projects = self.survey.iter().flat_map(|survey| &survey.projects);
        for project in projects {
            let folder = project.rules_folder();
            let Some(below) = folder.below(&source.base) else {
                continue;
            };
            for rule in &project.template.rule {
                let said = (
                    project.template.name.clone(),
                    rule.reason.clone(),
                    rule.remake.clone(),
                );
                let plain = BString::from(rule.pattern.as_str());
                reasons
                    .entry(fit(&rule.pattern, below))
                    .or_insert(said.clone());
                reasons.entry(plain).or_insert(said);
            }
        }
        reasons
    }

    fn settings(&self, document: &Document, open: &Documents) -> Vec<Fault> {
        let settings = match Settings::parse(&document.text, &document.path) {
            Ok(settings) => settings,
            Err(error) => return vec![fault_of(&error)],
        };
        let mut faults = Vec::new();
        let heads = |heading: &str, nth: usize| {
            let mut lines = document.text.lines().enumerate();
            let nth = lines
                .by_ref()
                .filter(|(_, line)| line.trim() == heading)
                .nth(nth);
            nth.map_or(0, |(line, _)| line as u32)
        };
        let blank = settings.accept.iter().enumerate();
        for (nth, _) in blank.filter(|(_, one)| one.because.trim().is_empty()) {
            faults.push(Fault {
                line: heads("[[accept]]", nth),
                said: "give a reason in `because`; until then it isn't accepted".to_owned(),
            });
        }
        let overlay = self.overlay(open);
        let Ok(verdicts) = Verdicts::new(self.snapshot, overlay.clone()) else {
            return faults;
        };
        let outcomes = expectations::prove(self.snapshot, &verdicts, &overlay, &settings.expect);
        let outcomes = outcomes.unwrap_or_default();
        let failed = outcomes.iter().enumerate();
        for (nth, outcome) in failed.filter(|(_, outcome)| !outcome.wrong.is_empty()) {
            let (path, answer) = &outcome.wrong[0];
            let more = match outcome.wrong.len() {
                1 => String::new(),
                many => format!(" (and {} more)", many - 1),
            };
            let is = match answer {
                Actual::Verdict(answer) => {
                    let is = match answer.state {
                        State::Ignored => "ignored",
                        State::Tracked => "tracked",
                        State::Candidate => "a candidate",
                    };
                    let by = answer.ruling.as_ref().map_or(String::new(), |ruling| {
                        format!(", by {}", text::ruling(ruling))
                    });
                    format!("{path} is {is}{by}")
                }
                Actual::Attribute(found) => text::attribute_given(path, found.as_ref()),
            };
            faults.push(Fault {
                line: heads("[[expect]]", nth),
                said: format!(
                    "expected to be {}, but {is}{more}",
                    outcome.expected.expected()
                ),
            });
        }
        faults
    }
}

/// Which of the rules is in a line, from 1.
fn at_line(rules: &[RuleUsage], line: u32) -> Option<usize> {
    rules
        .binary_search_by_key(&line, |rule| rule.rule().line)
        .ok()
}

fn is_template(path: &RepoPath) -> bool {
    let name = path.name();
    path.starts_with_str(redshank_templates::TEAM_FOLDER) && name.ends_with(b".toml")
}

fn template(document: &Document) -> Vec<Fault> {
    let template: Template = match toml_file::read(&document.text, &document.path) {
        Ok(template) => template,
        Err(error) => return vec![fault_of(&error)],
    };
    let line_of = |failure: &Failure| {
        let quoted = format!("\"{}\"", failure.example);
        let mut lines = document.text.lines();
        lines.position(|line| line.contains(&quoted)).unwrap_or(0) as u32
    };
    let (failures, _) = prove(&template);
    let faults = failures.iter().map(|failure| Fault {
        line: line_of(failure),
        said: text::example(failure),
    });
    let mut faults: Vec<Fault> = faults.collect();
    // An example is tried in several places; one complaint will do.
    faults.dedup_by(|a, b| (a.line, &a.said) == (b.line, &b.said));
    faults
}

fn fault_of(error: &Error) -> Fault {
    match error {
        Error::Malformed { line, said, .. } => Fault {
            line: line.saturating_sub(1) as u32,
            said: said.clone(),
        },
        error => Fault {
            line: 0,
            said: error.to_string(),
        },
    }
}
