//! An acceptance.

use super::FindingOut;
use serde::Serialize;

/// `accept --format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.accept/1"))]
pub struct AcceptOut {
    /// Always `redshank.accept/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// The finding that is accepted.
    pub finding: FindingOut,
    /// Why it is all right.
    pub because: String,
    /// Whether that was written.
    pub written: bool,
}
