//! What a review found, in SARIF, at the lines of the rules.

use super::Reviewed;
use super::show::expectation;
use redshank_findings::Level;
use redshank_output::{SarifResult, SarifRule, sarif_results};
use redshank_report::by_rule;
use redshank_text::{files, shown};
use redshank_worktree::{DecidingRule, MovedPath, RuleChange, settings};

/// The rules of a review in SARIF.
const TRACKED: &str = "rule/ignores-tracked";
const IGNORED: &str = "rule/ignores-more";
const IDLE: &str = "rule/idle";
const EXPECTATION: &str = "rule/expectation";

fn result(by: &DecidingRule, rule: &'static str, level: Level, message: String) -> SarifResult {
    SarifResult {
        rule,
        level,
        message: format!("`{}` {message}", shown(by.pattern.as_ref())),
        path: by.file.clone(),
        line: Some(by.line.into()),
    }
}

impl Reviewed<'_> {
    /// The same at the lines of the rules.
    pub(super) fn sarif(&self) -> serde_json::Value {
        let rule = |id: &str, short: &str, full: &str, help: &str, level| SarifRule {
            id: id.to_owned(),
            short: short.to_owned(),
            full: full.to_owned(),
            help: help.to_owned(),
            level,
        };
        let rules = [
            rule(
                TRACKED,
                "a rule ignores tracked files",
                "The rule matches files that git tracks. git goes on tracking them, and a new file \
                 of the kind is ignored.",
                "Write the rule narrower, re-include the files with `!`, or stop tracking them: \
                 redshank untrack PATH",
                Level::Warning,
            ),
            rule(
                IGNORED,
                "a rule ignores more files",
                "The rule ignores files that weren't ignored before.",
                "Look whether they are meant.",
                Level::Note,
            ),
            rule(
                IDLE,
                "a rule decides nothing",
                "The rule is new and decides about no file, or it decided about some before this change.",
                "Look whether it is meant: redshank why PATH shows the rule that decides.",
                Level::Note,
            ),
            rule(
                EXPECTATION,
                "an expectation breaks",
                "An expectation of redshank.toml doesn't hold by these rules.",
                "Put the rules right, or change the expectation: redshank prove shows why.",
                Level::Error,
            ),
        ];
        let mut results = Vec::new();
        for (by, moved) in by_rule(&self.review) {
            let (tracked, others): (Vec<&MovedPath>, Vec<&MovedPath>) =
                moved.into_iter().partition(|moved| moved.is_tracked);
            for (id, level, paths) in [
                (TRACKED, Level::Warning, tracked),
                (IGNORED, Level::Note, others),
            ] {
                let Some(first) = paths.first() else {
                    continue;
                };
                let many = files(paths.len() as u64);
                let tracked = if id == TRACKED {
                    " that git tracks"
                } else {
                    ""
                };
                let message = format!("ignores {many}{tracked}, such as {}", shown(&first.path));
                results.push(result(by, id, level, message));
            }
        }
        for one in &self.review.rules {
            let is_idle = one.after == 0 && one.change != RuleChange::Gone;
            if is_idle {
                let message = match one.before {
                    0 => "new, and decides nothing".to_owned(),
                    before => format!("decides nothing now; it was {}", files(before)),
                };
                results.push(result(&one.rule, IDLE, Level::Note, message));
            }
        }
        results.extend(self.review.settings.broken.iter().map(|one| SarifResult {
            rule: EXPECTATION,
            level: Level::Error,
            message: format!("doesn't hold: {}", expectation(one)),
            path: settings::FILE.into(),
            line: None,
        }));
        sarif_results(&rules, &results)
    }
}
