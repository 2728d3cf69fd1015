//! The check before commits.

use serde::Serialize;

/// `hook --format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.hook/1"))]
pub struct HookOut {
    /// Always `redshank.hook/1`.
    pub schema: &'static str,
    /// Whether the hook is installed.
    pub on: bool,
    /// It is there beside somebody's own hook.
    pub beside: bool,
    /// Pushes are checked, too.
    pub before_push: bool,
    /// After each merge, what it made of the rules is said.
    pub after_merge: bool,
    /// The hooks folder is a part of the working tree.
    pub shared: bool,
    /// Absolute path of the script.
    pub path: String,
}
