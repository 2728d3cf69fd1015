//! Settings of any program: a key that says "output folder", and a path.

use super::Said;
use redshank_rules::RepoPath;
use regex::bytes::Regex;
use std::sync::LazyLock;

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

/// A path in quotes, or the first word.
#[allow(clippy::expect_used, reason = "the tests compile it")]
static VALUES: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(r#"(?-u)["'](?:sqlite:/{2,3})?([A-Za-z0-9_.@][^"'\n]*)["']|^\s*(?:- )?([A-Za-z0-9_.@][^\s"'`,;|&)\]}]*)"#)
        .expect("an expression of the program's own")
});

/// How much of a line is looked at behind a key, in bytes.
const VALUE: usize = 160;

pub(super) fn read(_: &RepoPath, text: &[u8], said: &mut Vec<Said>) {
    for key in KEYS.find_iter(text) {
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
                    row: "setting",
                });
            }
        }
    }
}

/// So many values are taken from one line at most.
const VALUES_A_LINE: usize = 4;

#[cfg(test)]
mod tests {
    use super::*;

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
