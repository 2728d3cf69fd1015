//! What people read says it in the words of the field.

use crate::common::Person;
use regex::Regex;
use std::path::{Path, PathBuf};

/// Words and idioms that are out of use, for the reason beside each.
const RETIRED: &[(&str, &str)] = &[
    (r"\bmend(s|ed|ing)?\b", "fix"),
    (r"\banew\b", "again"),
    (r"\b(take|takes|taken|took) (it |them )?back\b", "undo"),
    (r"\b(keep|keeps|kept|keeping) (it |them )?out\b", "ignore"),
    (r"\blets? (it |them )?in\b", "re-include"),
    (r"\bline ends\b", "line endings"),
    (r"\bfor ever\b", "forever"),
    (r"\ball the same\b", "anyway"),
    (r"\bin vain\b", "has no effect"),
    (r"\bstand-ins?\b", "placeholder"),
    (r"\bby its look\b", "looks like"),
    (r"\bso many\b", "a number, or `this many`"),
    (r"\bends with [012]\b", "exits with"),
    (r"\bleads nowhere\b", "only works here"),
    (r"\bcatches nothing\b", "matches nothing"),
    (r"\ball right\b", "OK"),
    (r"\b(may|was) meant\b", "did you mean"),
];

fn out_of_use(text: &str) -> Vec<String> {
    let words = RETIRED.iter().flat_map(|(words, instead)| {
        let words = Regex::new(&format!("(?i){words}")).unwrap();
        let found: Vec<String> = words
            .find_iter(text)
            .map(|hit| hit.as_str().into())
            .collect();
        found
            .into_iter()
            .map(move |hit| format!("`{hit}`: {instead}"))
    });
    words.collect()
}

fn files_in(folder: &Path, extension: &str, found: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            files_in(&path, extension, found);
        } else if path.extension().is_some_and(|held| held == extension) {
            found.push(path);
        }
    }
}

#[test]
fn no_word_out_of_use_is_in_the_docs_or_in_what_commands_say() {
    let top = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let mut files = vec![
        top.join("README.md"),
        top.join("CONTRIBUTING.md"),
        top.join("SECURITY.md"),
    ];
    files_in(&top.join("docs"), "md", &mut files);
    files_in(&top.join("program/tests/it/snapshots"), "snap", &mut files);
    let code = Regex::new(r"(?s)```.*?```|`[^`\n]*`").unwrap();
    let wrong: Vec<String> = files
        .iter()
        .flat_map(|file| {
            let text = std::fs::read_to_string(file).unwrap();
            let words = out_of_use(&code.replace_all(&text, ""));
            words
                .into_iter()
                .map(move |word| format!("{}: {word}", file.display()))
        })
        .collect();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn no_word_out_of_use_is_in_the_help() {
    let nia = Person::new();
    let all = nia.redshank(&["--help"]).fine().out;
    let list = all.split("Commands:").nth(1).unwrap();
    let list = list.split("\n\n").next().unwrap().lines();
    let names: Vec<&str> = list
        .filter(|line| line.starts_with("  ") && !line.starts_with("   "))
        .filter_map(|line| line.split_whitespace().next())
        .filter(|name| *name != "help")
        .collect();
    assert!(names.len() > 20, "{names:?}");
    for name in names {
        let help = nia.redshank(&[name, "--help"]).fine().out;
        assert_eq!(out_of_use(&help), Vec::<String>::new(), "{name}");
    }
    assert_eq!(out_of_use(&all), Vec::<String>::new());
}

/// Each sentence is in `app/text`, and those of an error in its own crate.
#[test]
fn no_word_out_of_use_is_in_a_message() {
    let top = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let mut files = Vec::new();
    for folder in ["app", "core", "program/src"] {
        files_in(&top.join(folder), "rs", &mut files);
    }
    let quoted = Regex::new(r#""(?:[^"\\]|\\.)*""#).unwrap();
    let sources = files
        .iter()
        .filter(|file| !file.components().any(|part| part.as_os_str() == "tests"));
    let wrong: Vec<String> = sources
        .flat_map(|file| {
            let text = std::fs::read_to_string(file).unwrap();
            let code = text.split("#[cfg(test)]\nmod tests").next().unwrap();
            let lines = code
                .lines()
                .filter(|line| !line.trim_start().starts_with("//"));
            let code = lines.collect::<Vec<_>>().join(" ");
            let said = quoted.find_iter(&code).map(|hit| hit.as_str());
            // A sentence has a space; what programs read hasn't.
            let said: Vec<&str> = said.filter(|said| said.contains(' ')).collect();
            let words = out_of_use(&said.join("\n"));
            words
                .into_iter()
                .map(move |word| format!("{}: {word}", file.display()))
        })
        .collect();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
