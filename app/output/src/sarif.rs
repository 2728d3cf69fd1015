//! Findings as SARIF 2.1.0 (OASIS standard), for hosts and editors that show them beside the code.

use bstr::BStr;
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

/// The log of one run. Paths are relative to the repository's top.
pub fn log(found: &ScanResult) -> Value {
    let rules: BTreeMap<String, &Finding> = found
        .findings
        .iter()
        .rev()
        .map(|finding| (finding.rule.to_string(), finding))
        .collect();
    let rules: Vec<Value> = rules
        .iter()
        .map(|(id, finding)| {
            let level = level(finding.level);
            json!({
                "id": id,
                "properties": { "tags": [finding.class()] },
                "defaultConfiguration": { "level": level },
            })
        })
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
                "toolExecutionNotifications": unread,
            }],
            "results": found.findings.iter().map(result).collect::<Vec<_>>(),
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
        "locations": [place(finding)],
        "partialFingerprints": { "redshank/v1": finding.id },
        "properties": {
            "exposure": finding.exposure,
            "state": finding.state,
            "files": finding.files,
            "past": finding.past,
        },
    });
    if !finding.also.is_empty() {
        result["relatedLocations"] = finding.also.iter().map(place).collect();
    }
    result
}

fn place(finding: &Finding) -> Value {
    let mut place = json!({ "artifactLocation": { "uri": uri(&finding.path) } });
    if let Some(line) = finding.line {
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
