//! Attributes on random trees: what git lists is given by a line that says so, and a line that is
//! nearer to the path, or further down, isn't passed over.

use bstr::{BString, ByteSlice};
use proptest::prelude::*;
use redshank_git::Git;
use redshank_rules::attribute_file::Value;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_worktree::attributes::Attributes;
use redshank_worktree::{Overlay, Snapshot};
use std::path::Path;

const FILES: &[&str] = &[
    "a.txt",
    "b.bin",
    "src/a.c",
    "src/deep/x.txt",
    "src/deep/b.bin",
    "data/t.csv",
    "odd name.txt",
];

const PATTERNS: &[&str] = &[
    "*",
    "*.txt",
    "*.bin",
    "a.*",
    "/a.txt",
    "src/",
    "src/**",
    "deep/x.txt",
    "**/x.txt",
    "data/*.csv",
    "\"odd name.txt\"",
    "\"*.t\\170t\"",
    "!*.txt",
    "x.txt",
    "[ab].*",
    "*.TXT",
];

const ATTRIBUTES: &[&str] = &[
    "text",
    "-text",
    "!text",
    "text=auto",
    "eol=lf",
    "diff",
    "-diff",
    "binary",
    "-binary",
    "mine",
    "merge=union",
    "-bad=x",
    "9x",
    "b@d",
    "mine=\u{e9}",
    "filter=box",
];

fn line() -> impl Strategy<Value = String> {
    let attributes = prop::collection::vec(prop::sample::select(ATTRIBUTES), 0..3);
    let pattern = prop::sample::select(PATTERNS).prop_map(str::to_owned);
    let definition = Just("[attr]mine diff=own -merge text".to_owned());
    let start = prop_oneof![12 => pattern, 1 => definition, 1 => Just("# note".to_owned())];
    (start, attributes).prop_map(|(start, attributes)| {
        if start.starts_with("[attr]") {
            return start;
        }
        format!("{start} {}", attributes.join(" "))
    })
}

fn file() -> impl Strategy<Value = String> {
    prop::collection::vec(line(), 0..5).prop_map(|lines| lines.join("\n") + "\n")
}

fn write(top: &Path, path: &str, text: &str) {
    let path = top.join(path);
    std::fs::create_dir_all(path.parent().unwrap()).unwrap();
    std::fs::write(path, text).unwrap();
}

/// What git says of all attributes of a path.
fn said(top: &Path, path: &str) -> Vec<(BString, BString)> {
    let said = Git::at(top)
        .args(["check-attr", "-z", "--all", "--", path])
        .output()
        .unwrap();
    let fields: Vec<&[u8]> = said.split(|byte| *byte == 0).collect();
    fields
        .chunks_exact(3)
        .map(|row| (row[1].into(), row[2].into()))
        .collect()
}

fn agrees(top_file: &str, src: &str, deep: &str, clone: &str) -> Result<(), TestCaseError> {
    let folder = tempfile::tempdir().unwrap();
    let top = folder.path().canonicalize().unwrap();
    Git::at(&top).args(["init", "--quiet"]).output().unwrap();
    for path in FILES {
        write(&top, path, "x\n");
    }
    let files = [
        (".gitattributes", top_file),
        ("src/.gitattributes", src),
        ("src/deep/.gitattributes", deep),
        (".git/info/attributes", clone),
    ];
    for (path, text) in files {
        write(&top, path, text);
    }
    let snapshot = Snapshot::open(&top).unwrap();
    let paths: Vec<RepoPathBuf> = FILES
        .iter()
        .map(|path| RepoPath::new(path).to_owned())
        .collect();
    let answers = Attributes::new(&snapshot, Overlay::new())
        .unwrap()
        .of(&paths)
        .unwrap();
    let mut attributes = Attributes::new(&snapshot, Overlay::new()).unwrap();
    for (path, answer) in FILES.iter().zip(&answers) {
        let theirs = said(&top, path);
        let ours: Vec<(BString, BString)> = answer
            .iter()
            .map(|(name, given)| (name.clone(), given.value.clone()))
            .collect();
        let mut sorted = theirs.clone();
        sorted.sort();
        prop_assert_eq!(&ours, &sorted);
        // Without git, by the lines alone, it is the same.
        let read: Vec<(BString, BString)> = attributes
            .given(RepoPath::new(path))
            .iter()
            .filter(|(_, (value, _))| *value != &Value::Unspecified)
            .map(|(name, (value, _))| ((*name).to_owned(), value.as_printed().to_owned()))
            .collect();
        prop_assert_eq!(&read, &sorted);
        for (name, given) in answer {
            let value = &given.value;
            let Some(line) = &given.line else {
                return Err(TestCaseError::fail(format!(
                    "no line gives {path} {name}={value}"
                )));
            };
            // A line right behind it takes the attribute away: nothing that comes later gives it.
            // What this machine gives all files is left as it is.
            let own = files
                .iter()
                .find(|(known, _)| line.source == known.as_bytes());
            let Some(file) = own else { continue };
            let mut lines: Vec<String> = file.1.lines().map(str::to_owned).collect();
            let text = line.text.to_str_lossy().into_owned();
            let pattern = match text.strip_prefix('"') {
                Some(rest) => format!("\"{}\"", rest.split('"').next().unwrap()),
                None => text.split_whitespace().next().unwrap().to_owned(),
            };
            lines.insert(line.line as usize, format!("{pattern} !{name}"));
            write(&top, file.0, &lines.join("\n"));
            let is_there = said(&top, path).iter().any(|(other, _)| other == name);
            write(&top, file.0, file.1);
            prop_assert!(
                !is_there,
                "{path} {name}={value} isn't from {}:{}",
                line.source,
                line.line
            );
            let says = |word: &str| line.text.contains_str(word);
            prop_assert!(
                says(&name.to_str_lossy()) || says("binary") || says("mine"),
                "{}",
                line.text
            );
        }
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig {
        cases: ProptestConfig::default().cases / 6,
        failure_persistence: None,
        ..ProptestConfig::default()
    })]

    #[test]
    fn every_attribute_is_gits_and_its_line_decides(
        top_file in file(), src in file(), deep in file(), clone in file(),
    ) {
        agrees(&top_file, &src, &deep, &clone)?;
    }
}
