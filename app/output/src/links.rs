//! Names of files that lead to them, where the terminal can (OSC 8, which several terminals share).

use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, percent_encode};
use std::path::Path;
use std::sync::OnceLock;
use supports_hyperlinks::Stream;

/// What is in a link as it is (RFC 3986, unreserved characters and the slash).
const AS_IT_IS: &AsciiSet = &NON_ALPHANUMERIC
    .remove(b'/')
    .remove(b'.')
    .remove(b'-')
    .remove(b'_')
    .remove(b'~');

/// What a link of ours starts with, up to the machine.
const START: &str = "\x1b]8;;file://";

/// What it ends with, and what is behind its text.
const END: &str = "\x1b\\";
const CLOSE: &str = "\x1b]8;;\x1b\\";

/// Whether there are links in this run.
static ARE_ON: OnceLock<bool> = OnceLock::new();

/// Makes links, or none, from now on; `None` where the terminal can show them.
pub fn choose(are_on: Option<bool>) {
    // Chosen once, at the start.
    let _ = ARE_ON.set(are_on.unwrap_or_else(|| supports_hyperlinks::on(Stream::Stdout)));
}

/// A path as the address of a file has it.
pub fn address(path: &Path) -> String {
    let path = redshank_files::path_bytes(path);
    let path = percent_encode(&path, AS_IT_IS).to_string();
    // A drive stands where the first folder does (RFC 8089, appendix E.2).
    if path.starts_with('/') {
        path
    } else {
        format!("/{}", path.replacen("%3A", ":", 1))
    }
}

/// A text that leads to a file of this machine; only the text where there are no links.
pub fn link(text: String, file: &Path) -> String {
    if !ARE_ON.get().is_some_and(|are_on| *are_on) {
        return text;
    }
    let machine = crate::signals::machine();
    let machine = percent_encode(machine.as_bytes(), AS_IT_IS);
    let file = address(file);
    format!("{START}{machine}{file}{END}{text}{CLOSE}")
}

/// How long the sequence is that starts here, if it is one that [`link`] writes.
pub(super) fn length(text: &str) -> Option<usize> {
    if text.starts_with(CLOSE) {
        return Some(CLOSE.len());
    }
    let target = text.strip_prefix(START)?;
    let end = target.find(END)?;
    target[..end]
        .bytes()
        .all(|byte| byte.is_ascii_alphanumeric() || b"/.-_~%:".contains(&byte))
        .then_some(START.len() + end + END.len())
}
