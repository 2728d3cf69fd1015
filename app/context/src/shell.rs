//! Which shell asks what can be completed.

use std::sync::OnceLock;

/// By this variable, the script that a shell reads asks the program for what is possible.
pub const ASKED: &str = "REDSHANK_COMPLETE";

/// The shell that asks, if one does: anyone who answers it takes the variable out of the
/// environment.
static ASKING: OnceLock<String> = OnceLock::new();

/// Remembers which shell asks, before it is answered.
pub fn remember_asking() {
    if let Ok(shell) = std::env::var(ASKED) {
        ASKING.get_or_init(|| shell);
    }
}

/// The name of the shell that asks; empty if none does.
pub fn asking() -> &'static str {
    ASKING.get().map_or("", String::as_str)
}
