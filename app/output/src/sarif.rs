//! SARIF 2.1.0 (OASIS standard), for hosts and editors that show findings beside the code.

use bstr::{BStr, BString, ByteSlice};
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, percent_encode};
use redshank_findings::{Finding, Level, ScanResult};
use redshank_text as text;
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// What is in a path of a web address as it is (RFC 3986, unreserved characters and the slash).
const PLAIN: &AsciiSet = &NON_ALPHANUMERIC
    .remove(b'-')
    .remove(b'.')
    .remove(b'_')
    .remove(b'~')
    .remove(b'/');

/// Where the standard's schema is.
const SCHEMA: &str = concat!(
    "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/",
    "sarif-schema-2.1.0.json"
);

/// A kind of result.
pub struct SarifRule {
    /// Its id, of two parts with a slash between.
    pub id: String,
    /// What it is, in a few words.
    pub short: String,
    /// The same in a sentence or two.
    pub full: String,
    /// What to do about it.
    pub help: String,
    /// The level that it has if nothing else is said.
    pub level: Level,
}

impl SarifRule {
    fn value(&self) -> Value {
        let tag = self.id.split('/').next();
        json!({
            "id": self.id,
            "name": self.id,
            "shortDescription": { "text": self.short },
            "fullDescription": { "text": self.full },
            "help": { "text": self.help },
            "properties": { "tags": [tag] },
            "defaultConfiguration": { "level": level(self.level) },
        })
    }
}

/// Something that a run found, in a line of a file.
pub struct SarifResult {
    /// The id of its rule.
    pub rule: &'static str,
    /// How bad it is.
    pub level: Level,
    /// What it is.
    pub message: String,
    /// The file, relative to the top.
    pub path: BString,
    /// Line number, from 1; without it, the whole file.
    pub line: Option<u64>,
}

impl SarifResult {
    fn value(&self) -> Value {
        json!({
            "ruleId": self.rule,
            "level": level(self.level),
            "message": { "text": self.message },
            "locations": [place(self.path.as_bstr(), self.line)],
        })
    }
}

/// The log of one run that found something else than findings.
pub fn sarif_results(rules: &[SarifRule], results: &[SarifResult]) -> Value {
    let rules = rules.iter().map(SarifRule::value).collect();
    let results = results.iter().map(SarifResult::value).collect();
    run(rules, results, &[])
}

/// The log of one run of `check`. Paths are relative to the repository's top.
pub fn log(found: &ScanResult) -> Value {
    let rules: BTreeMap<String, &Finding> = found
        .findings
        .iter()
        .rev()
        .map(|finding| (finding.rule.to_string(), finding))
        .collect();
    let rules: Vec<Value> = rules
        .into_iter()
        .map(|(id, finding)| rule(id, finding).value())
        .collect();
    let unopened = text::not_scanned(found).into_iter();
    let unopened = unopened.map(|text| json!({ "level": "note", "message": { "text": text } }));
    let unread: Vec<Value> = found
        .unread
        .iter()
        .map(|unread| {
            let text = format!("not read: {}: {}", text::shown(&unread.path), unread.reason);
            json!({ "level": "warning", "message": { "text": text } })
        })
        .chain(unopened)
        .collect();
    run(rules, found.findings.iter().map(result).collect(), &unread)
}

/// The rule of a finding: its name in words, what its class and level mean, and the remedy.
fn rule(id: String, finding: &Finding) -> SarifRule {
    let class = text::class(finding.class());
    let name = id.rsplit('/').next().unwrap_or(&id).replace('-', " ");
    SarifRule {
        short: format!("{name} ({})", finding.class()),
        full: format!(
            "Class {}: {class}. Level {}: {}.",
            finding.class(),
            finding.level,
            text::level(finding.level)
        ),
        help: format!(
            "To fix it: {}. If it is there on purpose: `redshank accept` with a reason.",
            text::remedy(finding)
        ),
        level: finding.level,
        id,
    }
}

fn run(rules: Vec<Value>, results: Vec<Value>, notifications: &[Value]) -> Value {
    json!({
        "$schema": SCHEMA,
        "version": "2.1.0",
        "runs": [{
            "tool": { "driver": {
                "name": "Redshank",
                "version": env!("CARGO_PKG_VERSION"),
                "rules": rules,
            } },
            "columnKind": "utf16CodeUnits",
            "invocations": [{
                "executionSuccessful": true,
                "toolExecutionNotifications": notifications,
            }],
            "results": results,
        }],
    })
}

fn result(finding: &Finding) -> Value {
    let evidence = text::evidence(finding);
    let evidence = evidence.map_or(String::new(), |evidence| format!(": {evidence}"));
    let (message, remedy) = (text::message(finding), text::remedy(finding));
    let mut result = json!({
        "ruleId": finding.rule.to_string(),
        "level": level(finding.level),
        "message": { "text": format!("{message}{evidence}. To fix it: {remedy}") },
        "locations": [place_of(finding)],
        "partialFingerprints": { "redshank/v1": finding.id },
        "properties": {
            "exposure": finding.exposure,
            "state": finding.state,
            "files": finding.files,
            "past": finding.past,
        },
    });
    if !finding.also.is_empty() {
        result["relatedLocations"] = finding.also.iter().map(place_of).collect();
    }
    result
}

fn place_of(finding: &Finding) -> Value {
    place(finding.path.as_bstr(), finding.line)
}

fn place(path: &BStr, line: Option<u64>) -> Value {
    let mut place = json!({ "artifactLocation": { "uri": uri(path) } });
    if let Some(line) = line {
        place["region"] = json!({ "startLine": line });
    }
    json!({ "physicalLocation": place })
}

fn level(level: Level) -> &'static str {
    level.word()
}

fn uri(path: &BStr) -> String {
    percent_encode(path, PLAIN).to_string()
}
