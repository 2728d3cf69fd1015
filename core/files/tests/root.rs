//! What a root promises on every system: nothing outside of it, through no link, and nothing lost.

#![allow(clippy::unwrap_used, reason = "a test that can't go on has failed")]

use redshank_files::{FileKind, Put, Root, is_absence, is_link_on_the_way, path_bytes};
use std::io::{ErrorKind, Write};
use std::path::Path;
use std::time::{Duration, SystemTime};
use tempfile::TempDir;

fn ground() -> (TempDir, Root) {
    let folder = tempfile::tempdir().unwrap();
    let root = Root::open(folder.path()).unwrap();
    for (path, text) in [
        ("north/levels.csv", "1013"),
        ("north/deep/a", "a"),
        ("b", "b"),
    ] {
        write(&root, path, text);
    }
    (folder, root)
}

fn write(root: &Root, path: &str, text: &str) {
    if let Some((folder, _)) = path.rsplit_once('/') {
        root.create_folders(folder.into()).unwrap();
    }
    let mut file = root.create(path.into(), 0o644).unwrap();
    file.write_all(text.as_bytes()).unwrap();
}

fn read(root: &Root, path: &str) -> Option<String> {
    let bytes = root.read_if_there(path.into(), 1 << 10).unwrap()?;
    Some(String::from_utf8(bytes).unwrap())
}

#[test]
fn files_are_made_read_listed_and_removed() {
    let (_folder, root) = ground();
    assert_eq!(read(&root, "north/levels.csv").as_deref(), Some("1013"));
    assert_eq!(read(&root, "north/none"), None);
    assert_eq!(read(&root, "b/below"), None);
    assert!(root.create("b".into(), 0o644).is_err(), "it is there");
    let too_large = root.read("north/levels.csv".into(), 3).unwrap_err();
    assert_eq!(too_large.kind(), ErrorKind::FileTooLarge);
    let mut names = root.list("".into()).unwrap();
    names.sort();
    assert_eq!(
        names,
        [
            ("b".into(), FileKind::File),
            ("north".into(), FileKind::Folder)
        ]
    );
    let found = root.meta("north/levels.csv".into()).unwrap();
    assert_eq!((found.kind, found.size), (FileKind::File, 4));
    assert_ne!(found.identity, root.meta("b".into()).unwrap().identity);
    let time = SystemTime::UNIX_EPOCH + Duration::from_secs(1_700_000_000);
    root.set_modified("b".into(), time).unwrap();
    assert_eq!(root.meta("b".into()).unwrap().modified, time);
    assert!(
        root.remove_folder("north".into()).is_err(),
        "it isn't empty"
    );
    assert!(root.remove_file("north".into()).is_err(), "it is a folder");
    root.remove_tree("north".into()).unwrap();
    root.remove_file_if_there("north/levels.csv".into())
        .unwrap();
    assert!(!root.is_there("north".into()));
}

#[test]
fn what_is_put_somewhere_takes_nothing_away() {
    let (_folder, root) = ground();
    let free = root.rename("b".into(), (&root, "north/deep/a".into()), Put::Free);
    assert_eq!(free.unwrap_err().kind(), ErrorKind::AlreadyExists);
    assert_eq!(read(&root, "b").as_deref(), Some("b"));
    root.rename("b".into(), (&root, "c".into()), Put::Free)
        .unwrap();
    match root.rename("c".into(), (&root, "north/deep/a".into()), Put::Swap) {
        Ok(()) => {
            assert_eq!(read(&root, "c").as_deref(), Some("a"));
            root.rename("c".into(), (&root, "north/deep/a".into()), Put::Swap)
                .unwrap();
        }
        // Windows has no such step, and says so.
        Err(error) => assert_eq!(error.kind(), ErrorKind::Unsupported),
    }
    root.rename("c".into(), (&root, "north/deep/a".into()), Put::Over)
        .unwrap();
    assert_eq!(read(&root, "north/deep/a").as_deref(), Some("b"));
    root.rename("north".into(), (&root, "south".into()), Put::Free)
        .unwrap();
    assert_eq!(read(&root, "south/deep/a").as_deref(), Some("b"));
    root.link("south/deep/a".into(), (&root, "second".into()))
        .unwrap();
    let (one, other) = (root.meta("second".into()), root.meta("south/deep/a".into()));
    assert_eq!(one.unwrap().identity, other.unwrap().identity);
}

#[test]
fn nothing_outside_is_reached() {
    let (folder, root) = ground();
    let outside = tempfile::tempdir().unwrap();
    std::fs::write(outside.path().join("secret"), "x").unwrap();
    for path in ["../x", "/x", "north/../../x", "north/./a", "", "a\0"] {
        assert!(root.read(path.into(), 9).is_err(), "{path}");
        assert!(root.create(path.into(), 0o644).is_err(), "{path}");
    }
    let target = path_bytes(outside.path()).into_owned();
    // Not everyone may make links on Windows.
    if root
        .symlink(target.as_slice().into(), "link".into())
        .is_err()
    {
        return;
    }
    assert_eq!(root.kind("link".into()), Some(FileKind::Link));
    let error = root.read("link/secret".into(), 9).unwrap_err();
    assert!(is_link_on_the_way(&error) && !is_absence(&error), "{error}");
    assert!(root.create("link/new".into(), 0o644).is_err());
    root.remove_tree("link".into()).unwrap();
    assert!(outside.path().join("secret").exists());
    assert!(folder.path().join("b").exists());
}

#[test]
fn a_folder_is_held_by_one() {
    let (_folder, root) = ground();
    let held = root.hold("north".into()).unwrap();
    assert!(root.hold_if_free("north".into()).unwrap().is_none());
    drop(held);
    assert!(root.hold_if_free("north".into()).unwrap().is_some());
}

#[test]
fn a_path_is_written_as_git_writes_it() {
    let path = Path::new("north").join("levels.csv");
    assert_eq!(&*path_bytes(&path), b"north/levels.csv");
}
