//! Single files that are too large for git.

use super::claimed::Claimed;
use super::{Class, Exposure, Finding, Found, Level, Look, Remedy};
use crate::ignore_file::NewRule;
use crate::templates::exactly;

pub(super) fn find(look: &Look, claimed: &Claimed, found: &mut Found) {
    let limits = &look.settings.limits;
    for entry in look.tree.to_commit().filter(|entry| entry.size > limits.file_warning && !claimed.has(entry)) {
        let (level, limit) = if entry.size > limits.file_error {
            (Level::Error, limits.file_error)
        } else {
            (Level::Warning, limits.file_warning)
        };
        let rule = "oversized/file".to_owned();
        found.findings.push(Finding {
            id: Finding::identity(&rule, entry.path.as_ref(), b""),
            class: Class::Oversized,
            rule,
            level,
            path: entry.path.clone(),
            line: None,
            size: Some(entry.size),
            files: 1,
            state: entry.state,
            exposure: Exposure::Disk,
            message: format!("over the limit of {limit}; every clone would carry it for ever"),
            evidence: None,
            remedy: Remedy::KeepOut(NewRule {
                pattern: exactly(entry.path.as_ref()),
                reason: "too large for git; keep it in a store for large files".to_owned(),
                remake: None,
            }),
        });
    }
}
