//! Killed at any moment, the program leaves a place that it can bring back byte for byte.

use crate::common::Person;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// Every file outside git's folder with its contents, and the index.
fn everything(person: &Person) -> (BTreeMap<PathBuf, Vec<u8>>, Vec<u8>) {
    fn collect(folder: &Path, files: &mut BTreeMap<PathBuf, Vec<u8>>) {
        for entry in std::fs::read_dir(folder)
            .unwrap()
            .map(Result::unwrap)
            .filter(|entry| entry.file_name() != ".git")
        {
            if entry.file_type().unwrap().is_dir() {
                collect(&entry.path(), files);
            } else {
                drop(files.insert(entry.path(), std::fs::read(entry.path()).unwrap()));
            }
        }
    }
    let mut files = BTreeMap::new();
    collect(person.here(), &mut files);
    (files, person.reads(".git/index"))
}

/// A place in which `tidy` has something of every kind to do.
fn with_work(many: usize) -> Person {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "*.bak\n");
    nia.writes("Cargo.toml", "[package]\n");
    nia.writes(
        "gateway/.env",
        format!("UPLINK_PASSWORD={}\n", crate::common::made_up(20, 7)),
    );
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "-qm", "too early"]);
    for nth in 0..many {
        nia.writes(&format!("target/debug/deps/{nth}.d"), format!("{nth}"));
    }
    nia.git(&["add", "--all"]);
    // Staged and nowhere else.
    nia.writes("target/debug/deps/0.d", "changed after");
    nia.writes("uplink.log", "");
    nia
}

/// Nothing is lost, git is content, and what was begun is undone.
fn is_brought_back(nia: &Person, before: &(BTreeMap<PathBuf, Vec<u8>>, Vec<u8>), when: &str) {
    let said = nia.redshank(&["undo", "--yes"]);
    assert!(
        said.code == 0 || said.err.contains("nothing to undo"),
        "{when}: {}",
        said.err
    );
    let is = everything(nia);
    let names = |files: &BTreeMap<PathBuf, Vec<u8>>| files.keys().cloned().collect::<Vec<_>>();
    assert_eq!(names(&is.0), names(&before.0), "{when}");
    assert!(is == *before, "{when}");
    assert!(!nia.here().join(".git/index.lock").exists(), "{when}");
    nia.git(&["gc", "--quiet", "--prune=now"]);
    nia.git(&["fsck", "--strict"]);
    assert_eq!(
        nia.git(&["show", ":target/debug/deps/0.d"]).out,
        "0",
        "{when}"
    );
}

const TIDY: [&str; 3] = ["tidy", "--apply", "--yes"];

#[test]
fn at_every_boundary_between_two_steps() {
    let mut nia = with_work(3);
    let before = everything(&nia);
    let mut number = 1;
    while nia.redshank_killed_at(number, &TIDY) {
        is_brought_back(&nia, &before, &format!("killed at {number}"));
        number += 1;
    }
    assert!(number > 10, "{number} boundaries");
    // The way back is cut at every boundary, too.
    let mut number = 1;
    while nia.redshank_killed_at(number, &["undo", "--yes"]) {
        is_brought_back(&nia, &before, &format!("undo killed at {number}"));
        nia.redshank(&TIDY).fine();
        number += 1;
    }
    assert!(number > 5, "{number} boundaries");
    assert!(everything(&nia) == before);
}

#[test]
fn the_next_tidy_says_so_takes_it_back_and_goes_on() {
    let mut nia = with_work(2);
    let before = everything(&nia);
    let (mut number, mut told) = (1, 0);
    while nia.redshank_killed_at(number, &TIDY) {
        told += usize::from(
            nia.redshank(&["check"])
                .err
                .contains("cut short; `redshank undo`"),
        );
        nia.redshank(&TIDY).fine();
        assert_eq!(
            nia.lists("tracked"),
            [".gitignore", "Cargo.toml"],
            "killed at {number}"
        );
        nia.redshank(&["undo", "--yes"]).fine();
        assert!(everything(&nia) == before, "killed at {number}");
        number += 1;
    }
    assert!(told > 3, "told {told} times");
}

#[test]
fn at_random_times() {
    let nia = with_work(400);
    let before = everything(&nia);
    let started = std::time::Instant::now();
    nia.redshank(&TIDY).fine();
    let whole = started.elapsed();
    nia.redshank(&["undo", "--yes"]).fine();
    for nth in 0..25_u32 {
        let mut child = nia.starts_redshank(&TIDY);
        // Spread over the whole run, a little beyond its end.
        std::thread::sleep(
            whole.mul_f64(f64::from(nth) / 22.0)
                + Duration::from_micros(u64::from(nth * 137 % 1000)),
        );
        child.kill().unwrap();
        child.wait().unwrap();
        is_brought_back(&nia, &before, &format!("killed at {nth}/22 of the run"));
    }
}
