//! Findings that somebody looked at and found all right, with the reason why.

use super::{Ask, Class, Finding, Found, Level};
use crate::settings::{self, Settings};
use crate::{Result, toml_file};
use bstr::ByteSlice;
use jiff::civil::Date;
use serde::Deserialize;
use std::path::Path;

/// A finding that is accepted, as `redshank.toml` records it. The secret itself is in none of it.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Acceptance {
    /// The finding's id.
    pub finding: String,
    /// The finder's rule, for people.
    pub rule: String,
    /// The path, for people.
    pub path: String,
    /// Why it is all right.
    pub because: String,
    /// The last day on which it holds; without it, for good.
    pub until: Option<Date>,
}

/// Today, where this machine is.
pub fn today() -> Date {
    jiff::Zoned::now().date()
}

/// Takes accepted findings out, and reports acceptances that stand for nothing any more.
pub(super) fn leave_out(settings: &Settings, ask: &Ask, found: &mut Found) {
    let today = today();
    let (valid, expired): (Vec<_>, Vec<_>) = settings
        .accept
        .iter()
        .partition(|acceptance| acceptance.until.is_none_or(|until| until >= today));
    for acceptance in &expired {
        let of_it = found
            .findings
            .iter_mut()
            .filter(|finding| finding.id == acceptance.finding);
        of_it.for_each(|finding| {
            finding.message += &format!(
                "; accepted only until {}",
                acceptance.until.unwrap_or(today)
            );
        });
    }
    let is_stale = |acceptance: &&&Acceptance| {
        !found
            .findings
            .iter()
            .any(|finding| finding.id == acceptance.finding)
    };
    let stale: Vec<Finding> = if ask.is_for_all() {
        settings
            .accept
            .iter()
            .filter(|acceptance| is_stale(&acceptance))
            .map(stale)
            .collect()
    } else {
        Vec::new()
    };
    let before = found.findings.len();
    found.findings.retain(|finding| {
        !valid
            .iter()
            .any(|acceptance| acceptance.finding == finding.id)
    });
    found.accepted += before - found.findings.len();
    found.findings.extend(stale);
}

fn stale(acceptance: &Acceptance) -> Finding {
    let message = format!("accepts {}, which is found no more", acceptance.finding);
    Finding::new(
        Class::Rule,
        "stale-acceptance",
        Level::Note,
        settings::FILE.into(),
        message,
    )
    .with_cause(acceptance.finding.as_bytes())
    .with_evidence(format!("{} in {}", acceptance.rule, acceptance.path))
    .by_hand(format!(
        "take its [[accept]] entry out of {}",
        settings::FILE
    ))
}

/// The text of the settings file with a finding accepted; all else stays as it is.
///
/// # Errors
/// If the file is not TOML.
pub fn accepting(
    text: &str,
    path: &Path,
    finding: &Finding,
    because: &str,
    until: Option<Date>,
) -> Result<String> {
    toml_file::open(text, path)?;
    let mut table = toml_edit::Table::new();
    table["finding"] = toml_edit::value(&finding.id);
    table["rule"] = toml_edit::value(&finding.rule);
    table["path"] = toml_edit::value(finding.path.to_str_lossy().into_owned());
    table["because"] = toml_edit::value(because);
    if let Some(until) = until {
        table["until"] = toml_edit::value(until.to_string());
    }
    Ok(toml_file::with_table(text, "[[accept]]", &table))
}
