//! Every command block of the README and the docs, run as it is.

use crate::common::Person;
use std::collections::HashSet;
use std::path::{Path, PathBuf};

/// Blocks that a reader types are ```sh; what is behind that word is where else they belong.
fn blocks(page: &str) -> String {
    let mut script = String::new();
    let mut is_in = false;
    for line in page.lines() {
        match line {
            "```sh" => is_in = true,
            "```" => is_in = false,
            line if is_in => script += &format!("{line}\n"),
            _ => {}
        }
    }
    script
}

fn pages() -> Vec<PathBuf> {
    let top = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let mut pages = vec![top.join("README.md")];
    for folder in ["docs", "docs/guide", "docs/tasks"] {
        let listed = std::fs::read_dir(top.join(folder)).unwrap();
        let listed = listed.map(|one| one.unwrap().path());
        pages.extend(listed.filter(|path| path.extension().is_some_and(|kind| kind == "md")));
    }
    pages
}

/// A command may find something (1); it may not fail (2 and more).
const START: &str = "trap '[ $? -lt 2 ] || { echo \"failed: $BASH_COMMAND\" >&2; exit 99; }' ERR\n";

#[test]
fn every_block_runs_on_the_demo() {
    let mut ran = 0;
    for page in pages() {
        let script = blocks(&std::fs::read_to_string(&page).unwrap());
        if script.is_empty() {
            continue;
        }
        let nia = if script.contains("redshank demo --files-only") {
            Person::new()
        } else {
            Person::with_demo()
        };
        let said = nia.runs_with_redshank("bash", &["-c", &format!("{START}{script}")]);
        let end = said.err.lines().rev().take(6).collect::<Vec<_>>();
        assert!(said.code < 2, "{}: {end:?}", page.display());
        ran += script.lines().count();
    }
    assert!(ran > 60, "{ran} lines were found");
}

/// The names of all files below a folder.
fn names_below(folder: &Path, names: &mut HashSet<String>) {
    for entry in std::fs::read_dir(folder).unwrap().map(Result::unwrap) {
        let name = entry.file_name().into_string().unwrap();
        match entry.file_type().unwrap().is_dir() {
            true if name == "target" || name == ".git" => {}
            true => names_below(&entry.path(), names),
            false => drop(names.insert(name)),
        }
    }
}

#[test]
fn every_source_file_that_the_docs_name_is_there() {
    let mut names = HashSet::new();
    names_below(
        &Path::new(env!("CARGO_MANIFEST_DIR")).join(".."),
        &mut names,
    );
    let mut named = 0;
    for page in pages() {
        let text = std::fs::read_to_string(&page).unwrap();
        let quoted = text.split('`').skip(1).step_by(2);
        for file in quoted.filter(|file| file.ends_with(".rs") && !file.contains(['*', ' ', '<'])) {
            let name = file.rsplit('/').next().unwrap();
            assert!(names.contains(name), "{}: {file}", page.display());
            named += 1;
        }
    }
    assert!(named > 20, "{named} are named");
}

#[test]
fn every_link_of_the_docs_leads_somewhere() {
    for page in pages() {
        let text = std::fs::read_to_string(&page).unwrap();
        let targets = text.split("](").skip(1);
        let targets = targets.filter_map(|rest| rest.split(')').next());
        for target in targets.filter(|target| !target.contains("://")) {
            let (file, heading) = target.split_once('#').unwrap_or((target, ""));
            let path = match file {
                "" => page.clone(),
                file => page.parent().unwrap().join(file),
            };
            assert!(path.exists(), "{}: {target}", page.display());
            if !heading.is_empty() {
                let held = std::fs::read_to_string(&path).unwrap();
                let slug = |line: &str| {
                    line.trim_start_matches(['#', ' '])
                        .to_lowercase()
                        .replace(' ', "-")
                };
                let mut headings = held.lines().filter(|line| line.starts_with('#'));
                assert!(
                    headings.any(|line| slug(line) == heading),
                    "{}: {target}",
                    page.display()
                );
            }
        }
    }
}

#[test]
fn every_page_is_in_the_contents_of_the_site() {
    let top = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let contents = std::fs::read_to_string(top.join("docs/site/SUMMARY.md")).unwrap();
    let linked: HashSet<&str> = contents
        .split("](")
        .skip(1)
        .filter_map(|rest| rest.split(')').next())
        .collect();
    for page in pages() {
        let page = page.strip_prefix(&top).unwrap().to_str().unwrap();
        assert!(
            linked.contains(page),
            "{page} is in no chapter of docs/site/SUMMARY.md"
        );
    }
    for page in linked {
        assert!(top.join(page).exists(), "{page}");
    }
}
