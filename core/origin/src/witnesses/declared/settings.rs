//! Settings of any program: a key that says "output folder", and a path.

use super::Said;
use bstr::ByteSlice;
use redshank_rules::RepoPath;
use regex::bytes::{Match, Regex};
use std::ops::Range;
use std::sync::LazyLock;

/// How a key ends that names a place, with what is between it and its value. Every match of
/// [`KEYS`] ends in one of this, which is found many times as fast; in small letters.
#[allow(clippy::expect_used, reason = "the tests compile it")]
static ENDS: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(concat!(
        r#"(?-u)(?:dir|directory|folder|path|file|root|dest|output|outputs|outs|destination)"#,
        r#"["']?\s*(?:[:=]>?|\s=>|\s(?:use|is|in)\s|\()\s*"#
    ))
    .expect("an expression of the program's own")
});

/// The longest key that is looked at, in bytes.
const KEY: usize = 80;

/// The keys of a text, each with what is between it and its value.
fn keys(text: &[u8]) -> impl Iterator<Item = Match<'_>> {
    let lower = text.to_ascii_lowercase();
    let ends: Vec<Range<usize>> = ENDS.find_iter(&lower).map(|end| end.range()).collect();
    ends.into_iter().filter_map(|end| {
        let before = text[..end.start].iter().rev().take(KEY);
        let start = end.start
            - before
                .take_while(|byte| byte.is_ascii_alphanumeric() || b"._-\"'".contains(byte))
                .count();
        let key = KEYS.find_at(&text[..end.end], start)?;
        (key.end() == end.end).then_some(key)
    })
}

/// A key whose name says that its value is where something is written, up to its value.
#[allow(clippy::expect_used, reason = "the tests compile it")]
static KEYS: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(concat!(
        r#"(?i-u)\b["']?(?:(?:[a-z0-9]+[._-])*[a-z0-9]*?"#,
        r#"(?:out|output|outputs|outs|dist|dest|destination|build|target|cache|report|reports|publish|coverage|artifact|artifacts|site|log|logs|generated|gen|temp|tmp|html|export|storage|checkpoint|results?|save|upload|bin|obj|exec|object|work|db|database)"#,
        r#"[._-]?(?:dir|directory|folder|path|file|root|dest)|(?:[a-z0-9]+[._-])*(?:static_root|media_root|outdir|outfile|outputdir|distdir|output|outputs|outs|destination|dest|logfile))["']?\s*(?:[:=]>?|\s=>|\s(?:use|is|in)\s|\()\s*"#
    ))
    .expect("an expression of the program's own")
});

/// Keys of these that can mean nothing but the folder that a tool writes to.
#[allow(clippy::expect_used, reason = "the tests compile it")]
static SURE_KEYS: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(concat!(
        r#"(?i-u)^["']?(?:[a-z0-9]+[._-])*(?:static_root|destination|"#,
        r#"(?:out|output|dest|dist|site|report|reports|coverage|generated|html)[._-]?(?:dir|directory|folder)|"#,
        r#"output[._-]?path)["']?\s*[:=(]"#
    ))
    .expect("an expression of the program's own")
});

/// A path in quotes, or the first word.
#[allow(clippy::expect_used, reason = "the tests compile it")]
static VALUES: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(r#"(?-u)["'](?:sqlite:/{2,3})?([A-Za-z0-9_.@][^"'\n]*)["']|^\s*(?:- )?([A-Za-z0-9_.@][^\s"'`,;|&)\]}]*)"#)
        .expect("an expression of the program's own")
});

/// The folder in a bundler's `output: { path: … }`, from the settings' own folder.
#[allow(clippy::expect_used, reason = "the tests compile it")]
static OUTPUT_PATHS: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(concat!(
        r#"(?s-u)\boutput["']?\s*:\s*\{[^{}]{0,300}?\bpath["']?\s*:\s*(?:\w+\.(?:resolve|join)\(\s*|\w+\(\s*)?"#,
        r#"(?:__dirname\s*[,+]\s*)?["'](?:\./|/)?([A-Za-z0-9_.@][^"'\n]*)["']"#
    ))
    .expect("an expression of the program's own")
});

/// How much of a line is looked at behind a key, in bytes.
const VALUE: usize = 160;

pub(super) fn read(_: &RepoPath, text: &[u8], said: &mut Vec<Said>) {
    for found in OUTPUT_PATHS.captures_iter(text) {
        // Where the sources are in the same folder, others have to say what is made in it.
        let path = found.get(1);
        let is_once = |path: &Match| text.find_iter(path.as_bytes()).count() == 1;
        if let Some(path) = path.filter(is_once) {
            said.push(Said {
                what: path.as_bytes().to_vec(),
                at: path.start(),
                row: "setting-output",
            });
        }
    }
    for key in keys(text) {
        let rest = &text[key.end()..text.len().min(key.end() + VALUE)];
        let line = rest.split(|byte| *byte == b'\n').next().unwrap_or_default();
        let is_quoted = line.starts_with(b"\"") || line.starts_with(b"'");
        let values = VALUES.captures_iter(line);
        for value in values.take(if is_quoted { 1 } else { VALUES_A_LINE }) {
            let path = value.get(1).or_else(|| value.get(2));
            if let Some(path) = path {
                said.push(Said {
                    what: path.as_bytes().to_vec(),
                    at: key.start(),
                    row: if SURE_KEYS.is_match(key.as_bytes())
                        && is_said_once(text, path.as_bytes())
                    {
                        "setting-output"
                    } else {
                        "setting"
                    },
                });
            }
        }
    }
}

/// Whether a text has a value in quotes only once: in another setting, it names what is read.
fn is_said_once(text: &[u8], value: &[u8]) -> bool {
    ["\"", "'"]
        .iter()
        .map(|quote| [quote.as_bytes(), value, quote.as_bytes()].concat())
        .map(|quoted| text.find_iter(&quoted).count())
        .sum::<usize>()
        <= 1
}

/// So many values are taken from one line at most.
const VALUES_A_LINE: usize = 4;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_fast_way_finds_the_keys_that_the_expression_finds() {
        for text in [
            "outDir: 'made',",
            "a.b.Output_Path => \"x\"",
            "STATIC_ROOT = BASE / 'tides'\nMEDIA_ROOT=1",
            "output: outputs: outs = outdir(distdir: 'a')",
            "\"report-dir\": \"r\", 'cache.directory' : 'c'",
            "path = 1; file: 2; gauge.log_file in logs",
            "logfile=l destination is here",
        ] {
            let text = text.as_bytes();
            let fast: Vec<_> = keys(text).map(|key| key.range()).collect();
            let slow: Vec<_> = KEYS.find_iter(text).map(|key| key.range()).collect();
            assert_eq!(fast, slow, "{}", text.as_bstr());
        }
    }

    #[test]
    fn only_a_key_for_output_alone_whose_value_is_nowhere_else_is_sure() {
        let rows = |text: &str| {
            let mut said = Vec::new();
            read("gauge/settings.py".into(), text.as_bytes(), &mut said);
            said.retain(|said| said.what == b"tides");
            said.iter().map(|said| said.row).collect::<Vec<_>>()
        };
        assert_eq!(rows("STATIC_ROOT = BASE / 'tides'\n"), ["setting-output"]);
        let bundler = "output: {\n filename: 'x.js', path: __dirname + '/tides' }";
        assert_eq!(rows(bundler)[0], "setting-output");
        let beside = "entry: './tides/main.js', output: { path: __dirname + '/tides' }";
        assert_eq!(rows(beside), [""; 0]);
        assert_eq!(rows("MEDIA_ROOT = BASE / 'tides'\n"), ["setting"]);
        let read_as_well = "STATIC_ROOT = BASE / 'tides'\nSTATICFILES_DIRS = [APP / 'tides']\n";
        assert_eq!(rows(read_as_well), ["setting"]);
    }

    #[test]
    fn keys_that_name_an_output_are_read_in_any_language() {
        for (text, path) in [
            ("outDir: 'made',\n", "made"),
            ("  \"distDir\": \"web-out\",\n", "web-out"),
            ("cache_dir = .types\n", ".types"),
            ("STATIC_ROOT = BASE_DIR / \"collected\"\n", "collected"),
            ("site_dir: pages\n", "pages"),
            ("for Object_Dir use \"obj\";\n", "obj"),
            ("HTML_OUTPUT = manual\n", "manual"),
            (
                "site.source('./words').destination('./published')",
                "./published",
            ),
            ("<javac srcdir='src' destdir='made'/>", "made"),
        ] {
            let mut said = Vec::new();
            read("x.txt".into(), text.as_bytes(), &mut said);
            let paths: Vec<_> = said.iter().map(|said| said.what.clone()).collect();
            assert!(
                paths.contains(&path.as_bytes().to_vec()),
                "{text}: {paths:?}"
            );
        }
    }

    #[test]
    fn keys_that_name_an_input_are_not() {
        for text in [
            "rootDir: 'src',\n",
            "\"main\": \"index.js\"\n",
            "entry = app.ts\n",
        ] {
            let mut said = Vec::new();
            read("x.txt".into(), text.as_bytes(), &mut said);
            assert!(said.is_empty(), "{text}");
        }
    }
}
