//! Tidying and taking it back in repositories of every layout, and on disks that refuse.

use crate::common::Person;

const APPLY: [&str; 3] = ["tidy", "--apply", "--yes"];

/// A repository with a file that should not be tracked, and one that is staged and changed after.
fn too_early() -> Person {
    let nia = Person::with_repository();
    nia.writes("tide.c", "1\n");
    nia.writes("uplink.log", "1\n");
    nia.writes("sensors/north.c", "1\n");
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "-qm", "first"]);
    nia.writes("tide.c", "2\n");
    nia.git(&["add", "tide.c"]);
    nia.writes("tide.c", "3\n");
    nia
}

/// Tidies, looks, undoes it, looks; git's own view is the same before and after.
#[track_caller]
fn tidies_and_takes_it_back(nia: &Person, index: &str) {
    let view = || {
        (
            nia.git(&["ls-files", "--stage", "-v"]).out,
            nia.git(&["status", "--porcelain"]).out,
        )
    };
    let (before, bytes) = (view(), nia.reads(index));
    nia.redshank(&APPLY).fine();
    assert!(!nia.lists("tracked").contains(&"uplink.log".to_owned()));
    assert_eq!(nia.lists("ignored"), ["uplink.log"]);
    assert_eq!(
        nia.git(&["show", ":tide.c"]).out,
        "2\n",
        "staged work stays as it is staged"
    );
    assert_eq!(
        nia.git(&["diff", "--cached", "--name-status"]).out,
        "M\ttide.c\nD\tuplink.log\n"
    );
    nia.redshank(&["undo", "--yes"]).fine();
    assert_eq!(view(), before);
    assert!(
        nia.reads(index) == bytes,
        "the index is as it was, byte for byte"
    );
    nia.git(&["fsck", "--strict"]);
}

#[test]
fn in_a_plain_repository_and_in_one_with_sha256() {
    tidies_and_takes_it_back(&too_early(), ".git/index");
    let nia = Person::new();
    nia.git(&["init", "-q", "-b", "main", "--object-format=sha256"]);
    nia.writes("tide.c", "1\n");
    nia.writes("uplink.log", "1\n");
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "-qm", "first"]);
    nia.writes("tide.c", "2\n");
    nia.git(&["add", "tide.c"]);
    tidies_and_takes_it_back(&nia, ".git/index");
}

#[test]
fn with_a_split_index_even_when_its_shared_part_is_gone() {
    let nia = too_early();
    nia.git(&["update-index", "--split-index"]);
    tidies_and_takes_it_back(&nia, ".git/index");
    let before = nia.git(&["ls-files", "--stage"]).out;
    nia.redshank(&APPLY).fine();
    // What git does by itself after a fortnight.
    nia.git(&["update-index", "--no-split-index"]);
    for entry in std::fs::read_dir(nia.here().join(".git"))
        .unwrap()
        .map(Result::unwrap)
    {
        if entry
            .file_name()
            .to_str()
            .unwrap()
            .starts_with("sharedindex")
        {
            std::fs::remove_file(entry.path()).unwrap();
        }
    }
    nia.redshank(&["undo", "--yes"]).fine();
    assert_eq!(nia.git(&["ls-files", "--stage"]).out, before);
}

#[test]
fn with_a_part_of_the_tree_laid_out_and_a_sparse_index() {
    let nia = too_early();
    nia.writes("far/gauge.c", "1\n");
    nia.git(&["add", "far"]);
    nia.git(&["commit", "-qm", "far", "far"]);
    nia.git(&[
        "sparse-checkout",
        "set",
        "--cone",
        "--sparse-index",
        "sensors",
    ]);
    assert!(!nia.here().join("far").exists());
    tidies_and_takes_it_back(&nia, ".git/index");
    assert!(
        !nia.here().join("far").exists(),
        "what is not laid out stays so"
    );
}

#[test]
fn in_a_linked_working_tree_and_in_a_submodule() {
    let mut nia = too_early();
    nia.git(&["commit", "-qam", "second"]);
    nia.git(&["worktree", "add", "-q", "../linked", "-b", "linked"]);
    nia.goes_to("../linked");
    nia.writes("tide.c", "2\n");
    nia.git(&["add", "tide.c"]);
    tidies_and_takes_it_back(&nia, "../work/.git/worktrees/linked/index");
    assert!(nia.here().join("../work/uplink.log").exists());

    let mut nia = Person::with_repository();
    nia.writes("part/tide.c", "1\n");
    nia.writes("part/uplink.log", "1\n");
    nia.goes_to("part");
    nia.git(&["init", "-q", "-b", "main"]);
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "-qm", "first"]);
    nia.goes_to("..");
    nia.git(&[
        "-c",
        "protocol.file.allow=always",
        "submodule",
        "add",
        "-q",
        "./part",
        "gauge",
    ]);
    nia.git(&["commit", "-qm", "with a submodule", "gauge", ".gitmodules"]);
    nia.goes_to("gauge");
    nia.writes("tide.c", "2\n");
    nia.git(&["add", "tide.c"]);
    tidies_and_takes_it_back(&nia, "../.git/modules/gauge/index");
    nia.goes_to("..");
    assert_eq!(
        nia.git(&["status", "--porcelain", "--ignore-submodules=dirty"])
            .out,
        "?? part/\n"
    );
}

#[test]
fn on_a_disk_that_fills_up_nothing_is_changed() {
    let nia = too_early();
    // The index alone is larger than what may be written then.
    for nth in 0..200 {
        nia.writes(&format!("sensors/{nth:0>60}.c"), "1\n");
    }
    nia.git(&["add", "sensors"]);
    let (status, index) = (
        nia.git(&["status", "--porcelain"]).out,
        nia.reads(".git/index"),
    );
    assert!(index.len() > 10 * 1024);
    let said = nia.redshank_with_room_for(10, &APPLY);
    assert_eq!(said.code, 2, "{}{}", said.out, said.err);
    assert!(
        said.err.contains("index") && said.err.contains("large"),
        "{}",
        said.err
    );
    assert!(nia.reads(".git/index") == index && !nia.here().join(".gitignore").exists());
    assert_eq!(nia.git(&["status", "--porcelain"]).out, status);
    assert!(!nia.here().join(".git/index.lock").exists());
    nia.redshank(&APPLY).fine();
}

#[test]
fn on_a_disk_that_takes_nothing_nothing_is_changed_and_the_path_is_named() {
    let nia = too_early();
    let index = nia.reads(".git/index");
    let said = nia.redshank_that_may_only_read(&APPLY);
    assert_eq!(said.code, 2, "{}{}", said.out, said.err);
    assert!(
        said.err.contains(".git/redshank") && said.err.contains("ermission denied"),
        "{}",
        said.err
    );
    assert!(nia.reads(".git/index") == index && !nia.here().join(".gitignore").exists());
}
