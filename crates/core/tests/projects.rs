//! Recognising projects and drafting rules for them, on random trees.
#![allow(clippy::unwrap_used, reason = "a test that can't go on has failed")]

use bstr::{BString, ByteSlice};
use proptest::prelude::*;
use redshank_core::ignore_file::labels;
use redshank_core::templates::{Draft, Wish, builtin, recognise};
use redshank_core::tree::{Place, Scope, Tree};
use redshank_git::Git;
use std::path::{Path, PathBuf};

struct Ground {
    _folder: tempfile::TempDir,
    top: PathBuf,
}

impl Ground {
    fn new(files: &[(&str, &str)]) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let top = folder.path().canonicalize().unwrap();
        Git::at(&top).words(["init", "-q"]).output().unwrap();
        let ground = Self { _folder: folder, top };
        files.iter().for_each(|(path, contents)| ground.write(path, contents));
        ground
    }

    fn write(&self, path: &str, contents: &str) {
        let path = self.top.join(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, contents).unwrap();
    }

    /// The projects, as `template@folder`, and the folders known by what lies in them.
    fn found(&self) -> (Vec<String>, Vec<String>) {
        let place = Place::find(&self.top).unwrap();
        let tree = Tree::walk(&place, &Scope::default()).unwrap();
        let survey = recognise(&place, &tree, builtin().unwrap());
        let projects = survey.projects.iter().map(|project| format!("{}@{}", project.template.name, project.folder));
        let folders = survey.folders.iter().map(|folder| folder.folder.to_string());
        (projects.collect(), folders.collect())
    }

    fn draft(&self, wishes: &[Wish]) -> Draft {
        let place = Place::find(&self.top).unwrap();
        let tree = Tree::walk(&place, &Scope::default()).unwrap();
        let survey = recognise(&place, &tree, builtin().unwrap());
        Draft::compose(&place, &tree, &survey, wishes).unwrap()
    }

    fn ignored_by_git(&self, path: &str) -> bool {
        Git::at(&self.top).words(["check-ignore", "--no-index", "-q", "--", path]).output().is_ok()
    }
}

#[test]
fn projects_are_found_where_they_lie() {
    let ground = Ground::new(&[
        ("Cargo.toml", "[workspace]\nmembers = [\"a\"]\n"),
        ("a/Cargo.toml", "[package]\n"),
        ("web/package.json", "{}"),
        ("web/node_modules/dep/package.json", "{}"),
        ("web/node_modules/dep/Cargo.toml", "[package]\n"),
        ("web/inner/package.json", "{}"),
        ("x/y/z/pyproject.toml", ""),
        ("x/y/z/odd/pyvenv.cfg", ""),
        ("x/y/z/odd/lib/setup.py", ""),
        ("cache/CACHEDIR.TAG", "Signature: 8a477f597d28d172789f06886806bc55\n"),
        ("cache/package.json", "{}"),
        ("not/CACHEDIR.TAG", "Signature: something else\n"),
        ("native/CMakeLists.txt", "add_subdirectory(x)\n"),
        ("target/debug/Cargo.toml", ""),
    ]);
    let (projects, folders) = ground.found();
    assert_eq!(projects, ["rust@", "node@web/", "node@web/inner/", "python@x/y/z/"]);
    assert_eq!(folders, ["cache/", "x/y/z/odd/"]);
}

#[test]
fn a_wish_counts_where_it_is_made() {
    let ground = Ground::new(&[("one/Cargo.toml", ""), ("two/Cargo.toml", ""), ("three/x", "")]);
    let place = Place::find(&ground.top).unwrap();
    let labels_of = |name: &str, folder: Option<&str>| {
        let wish = Wish::of(&place, name, folder.map(|folder| folder.as_bytes().as_bstr())).unwrap();
        labels(&ground.draft(&[wish]).after).iter().map(BString::to_string).collect::<Vec<_>>()
    };
    assert_eq!(labels_of("rust", None), ["rust@one", "rust@two"]);
    assert_eq!(labels_of("rust", Some("three/")), ["rust@three"]);
    assert_eq!(labels_of("node", None), ["node"]);
    assert_eq!(labels_of("macos", Some("three")), ["macos"], "litter lies anywhere");
    assert!(Wish::of(&place, "rust", Some("four".into())).is_err());
}

/// The marker of a project type, and what the type must ignore and keep, relative to the project.
const TYPES: &[(&str, &str, &str, &str)] = &[
    ("Cargo.toml", "[package]", "target/debug/x", "src/target.rs"),
    ("package.json", "{}", "node_modules/a/b.js", "src/node.js"),
    ("pyproject.toml", "", "pkg/__pycache__/m.pyc", "pkg/m.py"),
    ("settings.gradle", "", ".gradle/x", "src/main/java/build/Step.java"),
    ("ProjectSettings/ProjectVersion.txt", "", "Library/x", "Assets/Library/y.cs"),
];

fn folder() -> impl Strategy<Value = String> {
    let part = prop::sample::select(vec!["a", "b c", "[d]", "e!", "#f", "ü"]);
    prop::collection::vec(part, 0..4).prop_map(|parts| parts.iter().map(|part| format!("{part}/")).collect())
}

fn own_line() -> impl Strategy<Value = String> {
    prop::sample::select(vec!["# ours", "*.own", "/mine/", "", "!keep.own", "node_modules/", "*.pyc"])
        .prop_map(str::to_owned)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn drafted_rules_hold_in_every_folder_and_a_second_draft_adds_nothing(
        projects in prop::collection::vec((folder(), 0..TYPES.len()), 1..4),
        own in prop::collection::vec(own_line(), 0..5),
    ) {
        let ground = Ground::new(&[]);
        for (folder, nth) in &projects {
            let (marker, contents, ignored, kept) = TYPES[*nth];
            for (path, contents) in [(marker, contents), (ignored, ""), (kept, "")] {
                ground.write(&format!("{folder}{path}"), contents);
            }
        }
        let own = own.iter().map(|line| format!("{line}\n")).collect::<String>();
        ground.write(".gitignore", &own);
        let first = ground.draft(&[]);
        prop_assert!(first.after.starts_with(own.as_bytes()), "every line that stood still stands");
        ground.write(".gitignore", first.after.to_str().unwrap());
        for (folder, nth) in &projects {
            let (_, _, ignored, kept) = TYPES[*nth];
            prop_assert!(ground.ignored_by_git(&format!("{folder}{ignored}")), "{folder}{ignored} in {}", first.after.as_bstr());
            // A project may lie in a folder that another one's rules keep out; none here is named so.
            prop_assert!(!ground.ignored_by_git(&format!("{folder}{kept}")), "{folder}{kept} in {}", first.after.as_bstr());
        }
        let second = ground.draft(&[]);
        prop_assert_eq!(second.after.as_bstr(), first.after.as_bstr());
        let lines: Vec<&[u8]> = first.after[own.len()..].lines().filter(|line| !line.starts_with(b"#") && !line.is_empty()).collect();
        let mut once = lines.clone();
        once.sort_unstable();
        once.dedup();
        prop_assert_eq!(once.len(), lines.len(), "no rule stands twice");
    }
}

#[test]
fn a_place_without_a_file_is_drafted_from_nothing() {
    let ground = Ground::new(&[("Cargo.toml", "")]);
    assert!(!Path::new(&ground.top).join(".gitignore").exists());
    let draft = ground.draft(&[]);
    assert!(draft.before.is_empty() && draft.after.starts_with(b"# redshank: begin rust (revision 1)\n"));
}
