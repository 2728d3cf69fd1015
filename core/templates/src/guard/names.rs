//! What names tell: of a rule, whether people use them as well; of a file, whether it is a source,
//! test data, or something that a tool makes. The names are in names.toml.

use bstr::{BStr, ByteSlice};
use redshank_rules::RepoPath;
use serde::Deserialize;
use std::collections::HashSet;
use std::sync::LazyLock;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Names {
    only_tools: HashSet<String>,
    only_made: HashSet<String>,
    test_data: HashSet<String>,
    test_places: HashSet<String>,
    libraries: HashSet<String>,
    library_places: HashSet<String>,
    written: HashSet<String>,
    written_or_bundled: HashSet<String>,
    scripts: HashSet<String>,
    outputs: HashSet<String>,
    made_files: HashSet<String>,
    made_folders: HashSet<String>,
    made_types: HashSet<String>,
    built_types: HashSet<String>,
}

static NAMES: LazyLock<Names> = LazyLock::new(|| {
    let read = toml::from_str(include_str!("names.toml"));
    #[allow(
        clippy::expect_used,
        reason = "the file is part of the program, and the tests read it"
    )]
    read.expect("names.toml is in its format")
});

fn is_in(names: &HashSet<String>, name: &[u8]) -> bool {
    name.to_str().is_ok_and(|name| names.contains(name))
}

fn has_type(path: &RepoPath, types: &HashSet<String>) -> bool {
    path.extension()
        .is_some_and(|kind| is_in(types, &kind[1..]))
}

fn any_folder(path: &RepoPath, is_it: impl Fn(&BStr) -> bool) -> bool {
    path.folders_above().any(|folder| is_it(folder.name()))
}

/// Whether only a tool gives such a name as a rule asks for.
pub(crate) fn is_unmistakable(pattern: &str) -> bool {
    let body = pattern
        .trim_start_matches('!')
        .trim_matches('/')
        .trim_start_matches("**/");
    let named = body.trim_end_matches("/*").trim_end_matches("/**");
    let is_own = |part: &str| part.len() > 1 && part.starts_with(['.', '_']) && part != "..";
    let mut parts = named.split('/');
    if parts.any(|part| is_own(part) || NAMES.only_tools.contains(part)) {
        return true;
    }
    let name = named.rsplit('/').next().unwrap_or(named);
    let made = name
        .strip_prefix("*.")
        .is_some_and(|kind| NAMES.only_made.contains(kind));
    made || name.starts_with("*.") && (name.contains(".cpython-") || name.ends_with(".abi3.so"))
}

/// Whether only a tool gives a folder such a name, wherever it is.
pub(super) fn is_of_tools(name: &BStr) -> bool {
    is_in(&NAMES.only_tools, name)
}

/// Whether a path is in a folder of data that tests read, such as their own copies of what tools
/// make.
pub(super) fn is_test_data(path: &RepoPath) -> bool {
    any_folder(path, is_data_name)
}

fn is_data_name(name: &BStr) -> bool {
    is_in(&NAMES.test_data, name) || name.ends_with(b"_fixtures") || name.ends_with(b"-fixtures")
}

/// Whether a path is in a folder of tests, or of what is built in as it is.
pub(super) fn is_test_place(path: &RepoPath) -> bool {
    any_folder(path, |name| {
        is_in(&NAMES.test_places, name) || is_data_name(name)
    })
}

/// Whether a file is a library in a folder where people put what they did not build.
pub(super) fn is_work_place(path: &RepoPath) -> bool {
    has_type(path, &NAMES.libraries) && any_folder(path, |name| is_in(&NAMES.library_places, name))
}

/// Whether a file in a folder that a tool may have made is of a language that people write. What
/// bundlers and page builders write is not taken for that.
pub(super) fn is_source(path: &RepoPath, folder: &RepoPath) -> bool {
    let is_output = is_output_name(folder.name());
    let is_small = path.name().ends_with(b".min.js");
    let is_script = is_in(&NAMES.scripts, path.name()) && !is_output;
    let is_page = has_type(path, &NAMES.written_or_bundled) && !is_output;
    !is_small && (is_written(path) || is_script || is_page)
}

/// Whether a file is of a language that people write and no page or report is made of.
pub(super) fn is_written(path: &RepoPath) -> bool {
    has_type(path, &NAMES.written) && !path.name().ends_with(b".d.ts")
}

/// Whether a file is a page, a style or a script, which people write and bundlers make.
pub(super) fn has_page_type(path: &RepoPath) -> bool {
    has_type(path, &NAMES.written_or_bundled)
}

/// Whether tools give a folder of what they make such a name.
pub(super) fn is_output_name(name: &BStr) -> bool {
    is_in(&NAMES.outputs, name)
}

/// Whether a file may be a script or a list of steps, which have no type.
pub(super) fn may_be_script(path: &RepoPath) -> bool {
    path.extension().is_none()
}

/// Whether a tool alone puts such a file into the folder that it makes; `below` is its path in it.
pub(super) fn is_made_by_name(below: &RepoPath, folder: &RepoPath) -> bool {
    let name = below.name();
    let is_output = is_output_name(folder.name());
    is_in(&NAMES.made_files, name)
        || any_folder(below, |part| is_in(&NAMES.made_folders, part))
        || has_type(below, &NAMES.made_types)
        || name.ends_with(b".min.js")
        || is_output && (name.ends_with(b".d.ts") || has_type(below, &NAMES.built_types))
        || is_hashed(name)
}

/// Bundlers put a hash of a file's contents into its name: `index-BkF3x9Qa.js`,
/// `main.51c6dc62.js`.
fn is_hashed(name: &BStr) -> bool {
    let parts: Vec<&[u8]> = name.split(|byte| b".-_".contains(byte)).collect();
    let inner = parts.get(1..parts.len() - 1).unwrap_or_default();
    let count =
        |part: &[u8], is_of: fn(&u8) -> bool| part.iter().filter(|byte| is_of(byte)).count();
    inner.iter().any(|part| {
        let digits = count(part, u8::is_ascii_digit);
        let is_hex = count(part, u8::is_ascii_hexdigit) == part.len() && digits < part.len();
        let is_mixed = count(part, u8::is_ascii_uppercase) > 1;
        let is_word = count(part, u8::is_ascii_alphanumeric) == part.len();
        part.len() >= 8 && is_word && digits > 0 && (is_hex || is_mixed)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_tell_tools_from_people() {
        for pattern in [
            "node_modules/",
            "**/.vscode/*",
            "*.pyc",
            "/_build/",
            "!.env.example",
            "/.next/",
            "*.cpython-*.so",
        ] {
            assert!(is_unmistakable(pattern), "{pattern}");
        }
        for pattern in [
            "/build/", "*.log", "media/", "/lib/", "*.so", "/*.tgz", "bin/", "*.mo",
        ] {
            assert!(!is_unmistakable(pattern), "{pattern}");
        }
        for name in [
            "index-BkF3x9Qa.js",
            "main.51c6dc62.js",
            "2.96e8bec8.chunk.css",
        ] {
            assert!(is_hashed(name.into()), "{name}");
        }
        for name in [
            "index.js",
            "test_harmonics.py",
            "20260325-readings.csv",
            "a-performance.js",
            "0001_initial.py",
        ] {
            assert!(!is_hashed(name.into()), "{name}");
        }
        let made = |path: &str| is_made_by_name(path.into(), "web/dist/".into());
        assert!(made("CMakeFiles/3.25/x.c") && made("lib/x.o") && made("x.so"));
        assert!(!made("models.py") && !made("index.html"));
    }
}
