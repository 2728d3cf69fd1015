//! The index as it is read is the index as git lists it, in every form that git writes.
#![allow(clippy::unwrap_used, reason = "a test that can't go on has failed")]

use bstr::{BStr, ByteSlice};
use redshank_git::{Discovered, Error, Git, Repository, Taken, find};
use std::path::{Path, PathBuf};

struct Worktree {
    folder: tempfile::TempDir,
}

impl Worktree {
    fn new(init: &[&str]) -> Self {
        let place = Self {
            folder: tempfile::tempdir().unwrap(),
        };
        place.git(&[&["init", "-q", "-b", "main"], init].concat());
        place
    }

    fn top(&self) -> PathBuf {
        dunce::canonicalize(self.folder.path()).unwrap()
    }

    fn git(&self, words: &[&str]) -> Vec<u8> {
        let who = [
            "-c",
            "user.name=Nia",
            "-c",
            "user.email=nia@tidewatch.example",
        ];
        let git = Git::at(self.folder.path()).env("GIT_CONFIG_GLOBAL", "/dev/null");
        git.args(who).args(words).output().unwrap()
    }

    fn write(&self, path: &str) {
        let path = self.top().join(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(&path, path.as_os_str().as_encoded_bytes()).unwrap();
    }

    fn repository(&self) -> Repository {
        match find(self.folder.path()).unwrap() {
            Discovered::Repository(repository) => *repository,
            Discovered::Folder(folder) => panic!("{folder:?} is a repository"),
        }
    }

    #[track_caller]
    fn agrees(&self) {
        let index = self.repository().index().unwrap();
        let ours: Vec<&BStr> = index.iter().map(|tracked| tracked.path).collect();
        let listed = self.git(&["ls-files", "-z", "--deduplicate"]);
        let theirs: Vec<&BStr> = listed
            .split(|b| *b == 0)
            .filter(|n| !n.is_empty())
            .map(ByteSlice::as_bstr)
            .collect();
        assert_eq!(ours, theirs);
        for tracked in index.iter().filter(|tracked| !tracked.conflicted()) {
            let stage = self.git(&[
                "--literal-pathspecs",
                "ls-files",
                "-z",
                "--stage",
                "--",
                &tracked.path.to_string(),
            ]);
            assert_eq!(
                stage.strip_suffix(b"\0").unwrap().as_bstr(),
                tracked.entry_to_put_back().info
            );
        }
    }
}

const PATHS: [&str; 6] = ["a", "a-b", "a.c", "gauge/level.c", "gauge/north/x", "z"];

fn filled(init: &[&str]) -> Worktree {
    let place = Worktree::new(init);
    PATHS.iter().for_each(|path| place.write(path));
    place.git(&["add", "."]);
    place.git(&["commit", "-qm", "one"]);
    place
}

#[test]
fn in_all_forms_it_is_what_git_lists() {
    let place = Worktree::new(&[]);
    place.agrees();
    filled(&[]).agrees();
    filled(&["--object-format=sha256"]).agrees();
    for form in [
        ["core.splitIndex", "true"],
        ["index.version", "4"],
        ["index.skipHash", "true"],
    ] {
        let place = filled(&[]);
        place.git(&["config", form[0], form[1]]);
        place.git(&["update-index", "--force-write-index"]);
        place.write("later");
        place.git(&["add", "later"]);
        place.agrees();
    }
}

#[test]
fn a_sparse_index_is_told_whole() {
    let place = filled(&[]);
    place.git(&[
        "sparse-checkout",
        "set",
        "--cone",
        "--sparse-index",
        "gauge/north",
    ]);
    place.agrees();
    assert_eq!(place.repository().index().unwrap().len(), PATHS.len());
    place.git(&[
        "sparse-checkout",
        "set",
        "--no-cone",
        "--no-sparse-index",
        "/a",
    ]);
    let index = place.repository().index().unwrap();
    assert!(index.get("z".into()).unwrap().skipped && !index.get("a".into()).unwrap().skipped);
}

#[test]
fn a_conflict_stands_once_and_is_known() {
    let place = filled(&[]);
    place.git(&["checkout", "-q", "-b", "side"]);
    std::fs::write(place.top().join("a"), "1").unwrap();
    place.git(&["commit", "-qam", "side"]);
    place.git(&["checkout", "-q", "main"]);
    std::fs::write(place.top().join("a"), "2").unwrap();
    place.git(&["commit", "-qam", "main"]);
    assert!(
        Git::at(&place.top())
            .args(["merge", "-q", "side"])
            .output()
            .is_err()
    );
    place.agrees();
    let index = place.repository().index().unwrap();
    let conflicted: Vec<&BStr> = index
        .iter()
        .filter(|tracked| tracked.conflicted())
        .map(|t| t.path)
        .collect();
    assert_eq!(conflicted, ["a"]);
}

#[test]
fn folders_hold_what_lies_below_them_and_not_their_neighbours() {
    let index = filled(&[]).repository().index().unwrap();
    let below = |folder: &str| {
        index
            .below(folder.into())
            .map(|tracked| tracked.path.to_string())
            .collect::<Vec<_>>()
    };
    assert_eq!(below("gauge"), ["gauge/level.c", "gauge/north/x"]);
    assert_eq!(below(""), PATHS);
    assert_eq!(below("a"), Vec::<String>::new());
    assert!(index.holds_below("gauge/north".into()) && !index.holds_below("gau".into()));
    assert!(index.holds("a.c".into()) && !index.holds("A.c".into()));
}

#[test]
fn entries_go_and_come_back() {
    let place = filled(&[]);
    let repository = place.repository();
    let before = std::fs::read(repository.index_file().unwrap()).unwrap();
    let index = repository.index().unwrap();
    let gone = [BStr::new("a"), BStr::new("gauge/level.c")];
    let entries: Vec<_> = gone
        .iter()
        .map(|path| index.get(path).unwrap().entry_to_put_back())
        .collect();
    let [saved, new, with] =
        ["saved", "new", "with"].map(|name| place.top().join(".git").join(name));
    std::fs::write(&saved, &before).unwrap();
    repository.index_without(gone, &new).unwrap();
    place.agrees();
    assert!(
        repository.put_index(&new, |_| true).unwrap()
            && !repository.put_index(&saved, |_| false).unwrap()
    );
    assert_eq!(repository.index().unwrap().len(), PATHS.len() - 2);
    assert!(place.top().join("a").exists(), "it stays on disk");
    assert_eq!(repository.index_with(&entries, &with).unwrap(), []);
    assert!(repository.put_index(&with, |_| true).unwrap());
    place.agrees();
    assert!(place.git(&["status", "--porcelain"]).is_empty());
    // Twice: the second time it is there already.
    for _ in 0..2 {
        assert!(repository.put_index(&saved, |_| true).unwrap());
        assert_eq!(
            std::fs::read(repository.index_file().unwrap()).unwrap(),
            before
        );
    }
    assert!(!place.top().join(".git/index.lock").exists());
}

#[test]
fn an_entry_comes_back_as_it_was_told_and_only_where_its_place_is_free() {
    let place = filled(&[]);
    let repository = place.repository();
    std::fs::write(place.top().join("later"), "to be added\n").unwrap();
    place.git(&["add", "--intent-to-add", "later"]);
    place.git(&["update-index", "--skip-worktree", "a"]);
    place.git(&["update-index", "--assume-unchanged", "a.c"]);
    let told = |line: &[u8]| line.as_bstr().to_string();
    let before = told(&place.git(&["ls-files", "--stage", "-v", "--debug", "later", "a", "a.c"]));
    let index = repository.index().unwrap();
    let paths = ["later", "a", "a.c", "gauge/level.c", "gauge/north/x"].map(BStr::new);
    let entries: Vec<_> = paths
        .iter()
        .map(|path| index.get(path).unwrap().entry_to_put_back())
        .collect();
    let [new, with] = ["new", "with"].map(|name| place.top().join(".git").join(name));
    repository.index_without(paths, &new).unwrap();
    assert!(repository.put_index(&new, |_| true).unwrap());
    // Meanwhile one is staged again, and a file is staged where a folder was.
    std::fs::write(place.top().join("gauge/level.c"), "newer\n").unwrap();
    std::fs::rename(place.top().join("gauge/north"), place.top().join("aside")).unwrap();
    std::fs::write(place.top().join("gauge/north"), "a file\n").unwrap();
    place.git(&["add", "gauge"]);
    let left = repository.index_with(&entries, &with).unwrap();
    let left: Vec<_> = left
        .into_iter()
        .map(|one| (one.path.to_string(), one.why))
        .collect();
    assert_eq!(
        left,
        [
            ("gauge/level.c".into(), Taken::StagedAnew),
            ("gauge/north/x".into(), Taken::OtherKind)
        ]
    );
    assert!(repository.put_index(&with, |_| true).unwrap());
    let flags = |text: &str| {
        let kept = |line: &&str| {
            !["ctime", "mtime", "dev", "uid", "size"]
                .iter()
                .any(|word| line.trim().starts_with(word))
        };
        text.lines()
            .filter(kept)
            .map(str::to_owned)
            .collect::<Vec<_>>()
    };
    assert_eq!(
        flags(&told(&place.git(&[
            "ls-files", "--stage", "-v", "--debug", "later", "a", "a.c"
        ]))),
        flags(&before)
    );
    assert_eq!(place.git(&["show", ":gauge/level.c"]), b"newer\n");
    assert_eq!(place.git(&["show", ":gauge/north"]), b"a file\n");
}

#[test]
fn a_file_that_changed_as_late_as_the_index_is_looked_at_again() {
    let place = filled(&[]);
    let repository = place.repository();
    // Whole seconds, as some disks have them: the index and the file have one time, and the file's
    // size stays.
    let then = std::time::SystemTime::UNIX_EPOCH + std::time::Duration::from_secs(1_700_000_000);
    let set = |path: &str| {
        let file = std::fs::File::options()
            .write(true)
            .open(place.top().join(path))
            .unwrap();
        file.set_modified(then).unwrap();
    };
    place.git(&["config", "core.trustctime", "false"]);
    std::fs::write(place.top().join("a"), "first\n").unwrap();
    set("a");
    place.git(&["add", "a"]);
    set(".git/index");
    std::fs::write(place.top().join("a"), "other\n").unwrap();
    set("a");
    let status = place.git(&["status", "--porcelain", "a"]);
    assert_eq!(status, b"MM a\n");
    let new = place.top().join(".git/new");
    repository
        .index_without([BStr::new("gauge/level.c")], &new)
        .unwrap();
    assert!(repository.put_index(&new, |_| true).unwrap());
    assert_eq!(place.git(&["status", "--porcelain", "a"]), status);
}

#[test]
fn contents_that_nothing_names_any_more_outlast_a_clearing_and_are_not_transferred() {
    let place = filled(&[]);
    let repository = place.repository();
    std::fs::write(place.top().join("a"), "staged and nowhere else\n").unwrap();
    place.git(&["add", "a"]);
    let entry = repository
        .index()
        .unwrap()
        .get("a".into())
        .unwrap()
        .entry_to_put_back();
    let blob = entry.blob().unwrap();
    std::fs::write(place.top().join("a"), "later\n").unwrap();
    let pack = place.top().join(".git/kept.pack");
    assert!(repository.pack([blob], &pack).unwrap());
    place.git(&["add", "a"]);
    place.git(&["gc", "--quiet", "--prune=now"]);
    assert_eq!(repository.missing([blob]).unwrap().len(), 1);
    assert!(place.git(&["for-each-ref", "refs/redshank/"]).is_empty());
    repository.unpack(&pack).unwrap();
    assert_eq!(
        place.git(&["cat-file", "blob", blob]),
        b"staged and nowhere else\n"
    );
    place.git(&["fsck", "--strict"]);
    // What the commit holds is kept by that.
    place.git(&["commit", "-qm", "all"]);
    let held = repository
        .index()
        .unwrap()
        .get("a.c".into())
        .unwrap()
        .blob();
    assert!(
        !repository
            .pack([held.as_str()], &place.top().join(".git/none.pack"))
            .unwrap()
    );
}

#[test]
fn a_lock_or_a_broken_index_is_an_error_that_names_the_file() {
    let place = filled(&[]);
    let repository = place.repository();
    let (index, lock) = (
        place.top().join(".git/index"),
        place.top().join(".git/index.lock"),
    );
    let new = place.top().join(".git/new");
    std::fs::copy(&index, &new).unwrap();
    std::fs::write(&lock, "").unwrap();
    let refused = repository.put_index(&new, |_| true);
    assert!(matches!(refused, Err(Error::Locked(path)) if path == lock));
    // Another git's lock stays; one that is ours goes.
    repository.unlock_own(std::slice::from_ref(&new)).unwrap();
    assert!(lock.exists());
    std::fs::remove_file(&lock).unwrap();
    std::fs::hard_link(&new, &lock).unwrap();
    repository.unlock_own(&[new]).unwrap();
    assert!(!lock.exists());
    std::fs::write(index, "DIRC nonsense").unwrap();
    assert!(matches!(repository.index(), Err(Error::BadIndex { .. })));
}

#[test]
fn a_repository_is_found_from_inside_and_settings_are_read_as_git_words_them() {
    let place = filled(&[]);
    let deep = place.top().join("gauge/north");
    let Discovered::Repository(found) = find(&deep).unwrap() else {
        panic!("it is a repository")
    };
    assert_eq!(
        (found.top, found.git_folder),
        (place.top(), place.top().join(".git"))
    );
    for (value, expected) in [
        ("true", true),
        ("yes", true),
        ("on", true),
        ("1", true),
        ("no", false),
        ("0", false),
    ] {
        place.git(&["config", "core.ignoreCase", value]);
        assert_eq!(place.repository().ignores_case, expected, "{value}");
    }
    place.git(&["config", "core.excludesFile", "rules/mine"]);
    let personal = place.repository().personal.unwrap();
    assert_eq!(
        (personal.shown.to_string().as_str(), personal.path),
        ("rules/mine", place.top().join("rules/mine"))
    );
    assert!(matches!(
        find(Path::new("/nonexistent")),
        Err(Error::NoFolder { .. })
    ));
    assert!(matches!(
        find(&place.top().join(".git")),
        Err(Error::NoWorkTree(_))
    ));
    let elsewhere = tempfile::tempdir().unwrap();
    assert!(matches!(
        find(elsewhere.path()).unwrap(),
        Discovered::Folder(_)
    ));
}

/// The staged paths with their contents.
fn staged(place: &Worktree) -> Vec<(String, Vec<u8>)> {
    let repository = place.repository();
    let mut blobs = repository.blobs().unwrap();
    let mut read = |blob: &str| {
        let all = |size: u64, contents: &mut dyn std::io::Read| {
            let mut bytes = Vec::new();
            contents.read_to_end(&mut bytes)?;
            assert_eq!(bytes.len() as u64, size);
            Ok(bytes)
        };
        blobs.read(blob, all).unwrap()
    };
    repository
        .staged()
        .unwrap()
        .iter()
        .map(|staged| (staged.path.to_string(), read(&staged.blob)))
        .collect()
}

#[test]
fn staged_contents_are_those_of_the_index_whatever_lies_on_disk() {
    let place = Worktree::new(&[]);
    assert_eq!(staged(&place), []);
    // No name on Windows has a line end in it.
    let odd = if cfg!(windows) {
        "a b/line"
    } else {
        "a b/line\nend"
    };
    for path in ["kept", odd, "empty", "gone"] {
        std::fs::create_dir_all(place.top().join(path).parent().unwrap()).unwrap();
        std::fs::write(
            place.top().join(path),
            if path == "empty" { "" } else { "staged" },
        )
        .unwrap();
    }
    #[cfg(unix)]
    std::os::unix::fs::symlink("kept", place.top().join("link")).unwrap();
    place.git(&["add", "."]);
    std::fs::write(place.top().join("kept"), "changed on disk").unwrap();
    let before_the_first_commit = [
        (odd, "staged"),
        ("empty", ""),
        ("gone", "staged"),
        ("kept", "staged"),
    ];
    let wanted =
        before_the_first_commit.map(|(path, text)| (path.to_owned(), text.as_bytes().to_vec()));
    assert_eq!(staged(&place), wanted);
    place.git(&["commit", "-qm", "first"]);
    assert_eq!(staged(&place), []);
    place.git(&["rm", "-q", "--cached", "gone"]);
    place.git(&["add", "kept"]);
    assert_eq!(
        staged(&place),
        [("kept".to_owned(), b"changed on disk".to_vec())],
        "what goes is not looked into"
    );
}

#[test]
fn a_blob_that_is_not_read_to_its_end_does_not_spoil_the_next() {
    let place = Worktree::new(&[]);
    place.write("one");
    place.write("two");
    place.git(&["add", "."]);
    let repository = place.repository();
    let mut blobs = repository.blobs().unwrap();
    let staged = repository.staged().unwrap();
    assert_eq!(
        blobs.read(&staged[0].blob, |size, _| Ok(size)).unwrap(),
        place.top().join("one").as_os_str().len() as u64
    );
    let text = blobs
        .read(&staged[1].blob, |_, contents| {
            std::io::read_to_string(contents)
        })
        .unwrap();
    assert_eq!(text, place.top().join("two").to_str().unwrap());
    let lost = blobs.read(&"0".repeat(40), |_, _| Ok(())).unwrap_err();
    assert!(lost.to_string().contains("no contents"), "{lost}");
    assert!(blobs.read(&staged[0].blob, |_, _| Ok(())).is_ok());
}
