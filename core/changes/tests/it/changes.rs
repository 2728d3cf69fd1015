//! Tidying and undoing random repositories: what was there is there again, whatever happened in
//! between.

use proptest::prelude::*;
use redshank_changes::Error;
use redshank_changes::journal::{Changes, FileChange, IfEdited, Journal};
use redshank_changes::plan::{Plan, PlanOptions};
use redshank_findings::{Finding, Remedy, ScanOptions, scan};
use redshank_git::Git;
use redshank_rules::RepoPathBuf;
use redshank_templates::{Collection, recognise};
use redshank_worktree::{FileStats, Snapshot};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// Every file with its contents, and the index file.
pub(crate) type Picture = (BTreeMap<PathBuf, Vec<u8>>, Vec<u8>);

pub(crate) struct Ground {
    _folder: tempfile::TempDir,
    pub(crate) top: PathBuf,
}

impl Ground {
    pub(crate) fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let top = folder.path().canonicalize().unwrap();
        let ground = Self {
            _folder: folder,
            top,
        };
        ground.git(&["init", "-q"]);
        ground
    }

    pub(crate) fn git(&self, words: &[&str]) -> Vec<u8> {
        let who = [
            "-c",
            "user.name=Nia",
            "-c",
            "user.email=nia@tidewatch.example",
        ];
        Git::at(&self.top).args(who).args(words).output().unwrap()
    }

    pub(crate) fn write(&self, path: &str, contents: &str) {
        let path = self.top.join(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, contents).unwrap();
    }

    pub(crate) fn snapshot(&self) -> Snapshot {
        Snapshot::open(&self.top).unwrap()
    }

    /// Every file with its contents, and the index file.
    pub(crate) fn picture(&self) -> Picture {
        let mut files = BTreeMap::new();
        collect(&self.top, &mut files);
        (
            files,
            std::fs::read(self.top.join(".git/index")).unwrap_or_default(),
        )
    }

    pub(crate) fn findings(&self) -> Vec<Finding> {
        let (snapshot, templates) = (self.snapshot(), Collection::built_in().unwrap());
        let survey = recognise(&snapshot, snapshot.tree().unwrap(), &templates);
        let found = scan(&snapshot, &survey, &ScanOptions::default());
        found.unwrap().findings
    }

    pub(crate) fn tidy(&self) -> Plan {
        let snapshot = self.snapshot();
        let plan = Plan::build(&snapshot, self.findings(), PlanOptions::default()).unwrap();
        if !plan.changes.is_empty() {
            Journal::open(&snapshot)
                .unwrap()
                .apply("tidy", &plan.changes)
                .unwrap();
        }
        plan
    }

    fn undo(&self) -> Result<(), Error> {
        Journal::open(&self.snapshot())?
            .undo(None, IfEdited::Refuse)
            .map(drop)
    }
}

fn collect(folder: &Path, files: &mut BTreeMap<PathBuf, Vec<u8>>) {
    for entry in std::fs::read_dir(folder)
        .unwrap()
        .map(Result::unwrap)
        .filter(|entry| entry.file_name() != ".git")
    {
        if entry.file_type().unwrap().is_dir() {
            collect(&entry.path(), files);
        } else {
            files.insert(entry.path(), std::fs::read(entry.path()).unwrap());
        }
    }
}

/// Paths of every kind that a finder knows, and of some that none does.
const PATHS: [&str; 15] = [
    "Cargo.toml",
    "target/debug/x",
    "src/main.rs",
    "web/package.json",
    "web/node_modules/a/i.js",
    "uplink.log",
    ".DS_Store",
    ".env",
    "kiosk/settings.gradle",
    "kiosk/gradle/wrapper/gradle-wrapper.jar",
    "notes/[odd] name .txt",
    "a/.idea/workspace.xml",
    "kiosk/.gitignor",
    "kiosk/notes.log",
    "tools/flash.sh",
];

#[derive(Debug, Clone)]
struct Case {
    made: Vec<(usize, u8)>,
    rules: Vec<&'static str>,
}

/// What is done with a file: nothing, added, committed, or added and changed after.
const DONE: u8 = 4;

fn case() -> impl Strategy<Value = Case> {
    let rules = prop::sample::subsequence(
        vec![
            "*.log",
            "*.jar",
            "/target/",
            "# ours",
            "!keep",
            "*.txt\r",
            "gradle/",
            "*.raw # measurements",
            "./kiosk/notes.log",
        ],
        0..6,
    );
    (
        prop::collection::vec((0..PATHS.len(), 0..DONE), 1..10),
        rules,
    )
        .prop_map(|(made, rules)| Case { made, rules })
}

fn lay_out(case: &Case) -> Ground {
    let ground = Ground::new();
    for (stage, words) in [(2, Some("commit")), (1, None), (3, None)] {
        for (path, done) in case.made.iter().filter(|(_, done)| *done == stage) {
            ground.write(PATHS[*path], &format!("made {path} {done}\r\n"));
            ground.git(&[
                "add",
                "--force",
                "--",
                &format!(":(literal){}", PATHS[*path]),
            ]);
        }
        if words.is_some() {
            ground.git(&["commit", "-q", "--allow-empty", "-m", "first"]);
        }
    }
    for (path, done) in case.made.iter().filter(|(_, done)| matches!(done, 0 | 3)) {
        ground.write(PATHS[*path], &format!("later {path} {done}\n"));
    }
    if !case.rules.is_empty() {
        ground.write(".gitignore", &case.rules.join("\n"));
    }
    ground
}

proptest! {
    #![proptest_config(ProptestConfig {
        cases: ProptestConfig::default().cases / 6,
        failure_persistence: None,
        ..ProptestConfig::default()
    })]

    #[test]
    fn tidy_then_undo_is_the_identity(case in case()) {
        let ground = lay_out(&case);
        let before = ground.picture();
        let plan = ground.tidy();
        let after = ground.picture();
        // No file's contents are ever gone; only the ignore file changes.
        for (path, contents) in &before.0 {
            if !path.ends_with(".gitignore") {
                prop_assert_eq!(&after.0[path], contents, "{}", path.display());
            }
        }
        let fixable: Vec<RepoPathBuf> = ground
            .findings()
            .into_iter()
            .filter(|finding| !matches!(finding.remedy, Remedy::ByHand(_)))
            .map(|finding| finding.path)
            .collect();
        prop_assert_eq!(fixable, Vec::<RepoPathBuf>::new(), "a tidied place has nothing left to tidy");
        prop_assert!(ground.tidy().changes.is_empty(), "tidying twice changes nothing");
        ground.git(&["fsck", "--strict"]);
        if !plan.changes.is_empty() {
            ground.undo().unwrap();
            prop_assert!(ground.picture() == before);
        }
        prop_assert!(matches!(ground.undo(), Err(Error::NothingToUndo)));
    }

    #[test]
    fn the_effect_that_is_shown_is_the_effect(case in case()) {
        let ground = lay_out(&case);
        let plan = ground.tidy();
        let snapshot = ground.snapshot();
        let tree = snapshot.tree().unwrap();
        let is: Vec<&RepoPathBuf> = tree.to_commit().map(|entry| &entry.path).collect();
        let all = FileStats::sum(tree.to_commit());
        prop_assert_eq!(plan.effect.after, all, "{:?}", is);
        for entry in &plan.effect.kept_out {
            prop_assert!(!is.contains(&&entry.path), "{}", entry.path);
        }
    }
}

/// The ignore file, from what it holds here to something else.
fn theirs() -> FileChange {
    FileChange::new(
        ".gitignore".into(),
        Some(b"mine\n".to_vec()),
        b"theirs\n".to_vec(),
    )
}

/// A journal entry of one file and one path of the index, done.
fn done() -> (Ground, Picture, PathBuf) {
    let ground = Ground::new();
    ground.write(".gitignore", "mine\n");
    ground.write("uplink.log", "1");
    ground.git(&["add", "--all"]);
    let before = ground.picture();
    let changes = Changes {
        files: vec![theirs()],
        untracked: vec!["uplink.log".into()],
        ..Changes::default()
    };
    Journal::open(&ground.snapshot())
        .unwrap()
        .apply("tidy", &changes)
        .unwrap();
    let entry = ground.top.join(".git/redshank/journal/000001");
    (ground, before, entry)
}

#[test]
fn a_damaged_journal_is_an_error_and_changes_nothing() {
    let (ground, _, entry) = done();
    let now = ground.picture();
    std::fs::write(entry.join("record.json"), "{ \"schema\": \"other\" }").unwrap();
    assert!(matches!(ground.undo(), Err(Error::BadJournal { .. })));
    assert!(ground.picture() == now);
    let (ground, _, entry) = done();
    let now = ground.picture();
    std::fs::remove_file(entry.join("file-0")).unwrap();
    assert!(matches!(ground.undo(), Err(Error::NotKept { .. })));
    assert!(ground.picture() == now);
}

#[test]
fn a_change_that_cannot_be_saved_is_not_made() {
    let ground = Ground::new();
    ground.write(".gitignore", "mine\n");
    ground.write(
        ".git/redshank",
        "a file where the journal's folder should be",
    );
    let before = ground.picture();
    let changes = Changes::of_files(vec![theirs()]);
    assert!(
        Journal::open(&ground.snapshot())
            .unwrap()
            .apply("tidy", &changes)
            .is_err()
    );
    assert!(ground.picture() == before);
}

#[test]
fn if_one_change_fails_those_before_it_are_taken_back_at_once() {
    let ground = Ground::new();
    ground.write(".gitignore", "mine\n");
    ground.write("uplink.log", "1");
    ground.write("target/x", "1");
    ground.git(&["add", "uplink.log"]);
    let before = ground.picture();
    let changes = Changes {
        files: vec![theirs()],
        moved: vec!["target/".into(), "gone meanwhile/".into()],
        untracked: vec!["uplink.log".into()],
        ..Changes::default()
    };
    let error = Journal::open(&ground.snapshot())
        .unwrap()
        .apply("tidy", &changes)
        .unwrap_err();
    assert!(error.to_string().contains("gone meanwhile"), "{error}");
    assert!(ground.picture() == before);
    assert!(matches!(ground.undo(), Err(Error::NothingToUndo)));
}

#[cfg(unix)]
#[test]
fn permissions_and_times_come_back() {
    use bstr::ByteSlice;
    use redshank_worktree::tree::State;
    use std::os::unix::fs::PermissionsExt;
    let ground = Ground::new();
    ground.write(".gitignore", "mine\n");
    let path = ground.top.join(".gitignore");
    std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o640)).unwrap();
    let modified = std::fs::metadata(&path).unwrap().modified().unwrap();
    let changes = Changes::of_files(vec![theirs()]);
    Journal::open(&ground.snapshot())
        .unwrap()
        .apply("draft", &changes)
        .unwrap();
    assert_eq!(
        std::fs::metadata(&path).unwrap().permissions().mode() & 0o777,
        0o640
    );
    ground.undo().unwrap();
    let found = std::fs::metadata(&path).unwrap();
    assert_eq!(
        (
            found.permissions().mode() & 0o777,
            found.modified().unwrap()
        ),
        (0o640, modified)
    );
    assert_eq!(
        ground
            .snapshot()
            .tree()
            .unwrap()
            .get(".gitignore".into())
            .unwrap()
            .state,
        State::Candidate
    );
    assert!(std::fs::read(&path).unwrap().contains_str("mine"));
}
