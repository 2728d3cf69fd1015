//! Patterns that match only by names which tools give.

use redshank_origin::is_peoples_name;
use serde::Deserialize;
use std::collections::HashSet;
use std::sync::LazyLock;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ToolsNames {
    names: HashSet<String>,
    types: HashSet<String>,
}

static TABLE: LazyLock<ToolsNames> = LazyLock::new(|| {
    let read = toml::from_str(include_str!("tools_names.toml"));
    #[allow(
        clippy::expect_used,
        reason = "the file is part of the program, and the tests read it"
    )]
    read.expect("tools_names.toml is in its format")
});

/// Whether only a tool gives such a name as a pattern asks for.
pub(crate) fn is_tools_name(pattern: &str) -> bool {
    let pattern = &without_cases(pattern);
    let body = pattern
        .trim_start_matches('!')
        .trim_matches('/')
        .trim_start_matches("**/");
    let named = body.trim_end_matches("/*").trim_end_matches("/**");
    let mut parts = named.split('/');
    if parts.any(|part| {
        (part.len() > 1 && part.starts_with(['.', '_']) && part != "..")
            || TABLE.names.contains(part)
    }) {
        return true;
    }
    let name = named.rsplit('/').next().unwrap_or(named);
    if pattern.ends_with('/') && !name.contains(['*', '?', '[']) {
        return !is_peoples_name(name.into());
    }
    let made = name
        .strip_prefix("*.")
        .is_some_and(|kind| TABLE.types.contains(kind));
    made || name.starts_with("*.") && (name.contains(".cpython-") || name.ends_with(".abi3.so"))
}

/// A pattern in which a letter in both cases is the small one: `[Dd]esktop.ini` is `desktop.ini`.
fn without_cases(pattern: &str) -> String {
    let mut text = String::new();
    let mut rest = pattern;
    while let Some(at) = rest.find('[') {
        let inner: Vec<char> = rest[at + 1..].chars().take(3).collect();
        match inner.as_slice() {
            [a, b, ']'] if a.eq_ignore_ascii_case(b) => {
                text += &rest[..at];
                text.push(b.to_ascii_lowercase());
                rest = &rest[at + 4..];
            }
            _ => {
                text += &rest[..=at];
                rest = &rest[at + 1..];
            }
        }
    }
    text + rest
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_of_tools_are_told_from_those_that_people_give() {
        for pattern in [
            "node_modules/",
            "**/.vscode/*",
            "*.pyc",
            "/_build/",
            "!.env.example",
            "/.next/",
            "*.cpython-*.so",
            "nimcache/",
            "[Dd]esktop.ini",
        ] {
            assert!(is_tools_name(pattern), "{pattern}");
        }
        for pattern in [
            "/build/", "*.log", "media/", "/lib/", "*.so", "/*.tgz", "bin/", "*.mo", "Library/",
        ] {
            assert!(!is_tools_name(pattern), "{pattern}");
        }
    }
}
