//! Attacks on the promise that nothing is lost: others write meanwhile, and what they wrote stands
//! afterwards.

use crate::common::Person;
use std::os::unix::fs::{PermissionsExt, symlink};
use std::time::{Duration, SystemTime};

const TIDY: [&str; 3] = ["tidy", "--apply", "--yes"];
const UNDO: [&str; 2] = ["undo", "--yes"];

fn mode(nia: &Person, path: &str) -> u32 {
    std::fs::symlink_metadata(nia.here().join(path))
        .unwrap()
        .permissions()
        .mode()
        & 0o7777
}

#[test]
fn twelve_at_once_all_get_their_rule() {
    let nia = Person::with_repository();
    let patterns: Vec<String> = (0..12).map(|nth| format!("*.x{nth}")).collect();
    let children: Vec<_> = patterns
        .iter()
        .map(|pattern| nia.starts_redshank(&["add", pattern, "--write"]))
        .collect();
    for mut child in children {
        assert!(child.wait().unwrap().success());
    }
    let rules = String::from_utf8(nia.reads(".gitignore")).unwrap();
    let mut lines: Vec<&str> = rules.lines().collect();
    lines.sort_unstable();
    let mut wanted: Vec<&str> = patterns.iter().map(String::as_str).collect();
    wanted.sort_unstable();
    assert_eq!(lines, wanted);
    for _ in 0..12 {
        nia.redshank(&UNDO).fine();
    }
    assert!(!nia.here().join(".gitignore").exists());
}

#[test]
fn a_line_that_somebody_adds_while_it_waits_for_an_answer_stands() {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "*.old\n");
    nia.writes("uplink.log", "1\n");
    for words in ["add '*.tmp'", "tidy"] {
        let before = nia.reads(".gitignore");
        let file = nia.here().join(".gitignore");
        let (question, answer) = if words == "tidy" {
            ("Do it?", "y\r")
        } else {
            ("Write it?", "y\r")
        };
        let said = nia.redshank_at_a_terminal_meanwhile(
            words,
            &[
                (question, answer),
                ("starting again", ""),
                (question, answer),
            ],
            &mut || {
                let text = [
                    std::fs::read(&file).unwrap(),
                    b"theirs-".to_vec(),
                    words[..3].into(),
                    b"\n".to_vec(),
                ]
                .concat();
                std::fs::write(&file, text).unwrap();
            },
        );
        assert!(said.out.contains("starting again"), "{}", said.out);
        let text = String::from_utf8(nia.reads(".gitignore")).unwrap();
        assert!(
            text.contains(&format!("theirs-{}\n", &words[..3])) && text.len() > before.len() + 11,
            "{text}"
        );
    }
    let text = String::from_utf8(nia.reads(".gitignore")).unwrap();
    assert!(
        text.contains("*.tmp\n") && text.contains("*.log\n"),
        "{text}"
    );
}

#[test]
fn linked_working_trees_keep_what_each_of_them_staged() {
    let nia = Person::with_repository();
    nia.writes("README", "tides\n");
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "-qm", "start"]);
    nia.git(&["worktree", "add", "-q", "--detach", "../other"]);
    let mut mia = nia.again();
    mia.goes_to("../other");
    for (who, text) in [(&nia, "staged in one\n"), (&mia, "staged in the other\n")] {
        who.writes("a.log", text);
        who.git(&["add", "--force", "a.log"]);
        who.writes("a.log", "later\n");
        who.redshank(&TIDY).fine();
    }
    mia.redshank(&UNDO).fine();
    nia.git(&["gc", "--quiet", "--prune=now"]);
    nia.redshank(&UNDO).fine();
    assert_eq!(nia.git(&["show", ":a.log"]).out, "staged in one\n");
    assert_eq!(mia.git(&["show", ":a.log"]).out, "staged in the other\n");
    assert_eq!(nia.git(&["for-each-ref", "refs/redshank"]).out, "");
}

#[test]
fn a_change_as_late_as_the_index_is_still_seen() {
    let nia = Person::with_repository();
    let then = SystemTime::UNIX_EPOCH + Duration::from_secs(1_700_000_000);
    let stamp = |path: &str| {
        let file = std::fs::File::options()
            .write(true)
            .open(nia.here().join(path))
            .unwrap();
        file.set_modified(then).unwrap();
    };
    nia.git(&["config", "core.trustctime", "false"]);
    nia.writes("tide.txt", "first\n");
    nia.writes("uplink.log", "1\n");
    stamp("tide.txt");
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "-qm", "start"]);
    stamp(".git/index");
    nia.writes("tide.txt", "other\n");
    stamp("tide.txt");
    assert!(
        nia.git(&["status", "--porcelain"])
            .out
            .contains(" M tide.txt")
    );
    nia.redshank(&TIDY).fine();
    assert!(
        nia.git(&["status", "--porcelain"])
            .out
            .contains(" M tide.txt")
    );
    nia.redshank(&UNDO).fine();
    assert!(
        nia.git(&["status", "--porcelain"])
            .out
            .contains(" M tide.txt")
    );
    nia.git(&["commit", "-qam", "all"]);
    assert_eq!(nia.git(&["show", "HEAD:tide.txt"]).out, "other\n");
}

#[test]
fn what_is_staged_after_a_change_outlasts_its_undoing() {
    let nia = Person::with_repository();
    nia.writes("anew.log", "older\n");
    nia.writes("cache.log/part", "1\n");
    nia.writes("later.log", "to be added\n");
    nia.writes("hidden.log", "1\n");
    nia.git(&["add", "anew.log", "cache.log", "hidden.log"]);
    nia.git(&["add", "--intent-to-add", "later.log"]);
    nia.git(&["update-index", "--skip-worktree", "hidden.log"]);
    nia.redshank(&TIDY).fine();
    assert_eq!(nia.lists("tracked"), [""; 0]);
    nia.writes("anew.log", "newer\n");
    std::fs::remove_dir_all(nia.here().join("cache.log")).unwrap();
    nia.writes("cache.log", "a file now\n");
    nia.git(&["add", "--force", "anew.log", "cache.log"]);
    let said = nia.redshank(&UNDO).fine();
    assert!(
        said.out.contains("anew.log stays as it is staged"),
        "{}",
        said.out
    );
    assert!(
        said.out.contains("cache.log/part is not tracked again"),
        "{}",
        said.out
    );
    assert!(!said.out.contains("all is as it was"), "{}", said.out);
    assert_eq!(nia.git(&["show", ":anew.log"]).out, "newer\n");
    assert_eq!(nia.git(&["show", ":cache.log"]).out, "a file now\n");
    assert_eq!(
        nia.git(&["ls-files", "-v", "hidden.log"]).out,
        "S hidden.log\n"
    );
    assert!(
        nia.git(&["status", "--porcelain"])
            .out
            .contains(" A later.log")
    );
}

#[test]
fn a_hook_comes_back_with_its_bytes_its_permissions_and_its_kind() {
    let latin = b"#!/bin/sh\n# gr\xfc\xdfe\nexit 0\n";
    // An earlier name of ours that is somebody's own, a hook that is off, a link, and bytes that
    // are no UTF-8.
    for (what, permissions) in [
        ("shell", 0o750),
        ("off", 0o644),
        ("program", 0o755),
        ("link", 0o755),
    ] {
        let nia = Person::with_repository();
        let hook = nia.here().join(".git/hooks/pre-commit");
        nia.writes(".git/hooks/pre-commit.own", "somebody's\n");
        match what {
            "program" => nia.writes(".git/hooks/pre-commit", b"#!/usr/bin/env perl\n\xff"),
            "link" => {
                nia.writes("shared/pre-commit", latin);
                symlink("../../shared/pre-commit", &hook).unwrap();
            }
            _ => nia.writes(".git/hooks/pre-commit", latin),
        }
        std::fs::set_permissions(&hook, std::fs::Permissions::from_mode(permissions)).unwrap();
        let is = || {
            let target = std::fs::read_link(&hook).ok();
            (
                target,
                std::fs::read(&hook).unwrap(),
                mode(&nia, ".git/hooks/pre-commit"),
            )
        };
        let before = is();
        for back in [&["hook", "off", "--yes"][..], &["undo", "--yes"]] {
            nia.redshank(&["hook", "on", "--yes"]).fine();
            assert_ne!(is(), before, "{what}");
            assert!(mode(&nia, ".git/hooks/pre-commit") & 0o100 != 0, "{what}");
            nia.redshank(back).fine();
            assert_eq!(is(), before, "{what} {back:?}");
            assert_eq!(nia.reads(".git/hooks/pre-commit.own"), b"somebody's\n");
            assert!(
                !nia.here().join(".git/hooks/pre-commit.own-2").exists(),
                "{what}"
            );
        }
        if what == "link" {
            assert_eq!(nia.reads("shared/pre-commit"), latin);
        }
    }
}

#[test]
fn a_hook_that_is_off_stays_so_and_one_that_stops_at_errors_lets_commits_pass_without_us() {
    let nia = Person::with_repository();
    nia.writes(".git/hooks/pre-commit", "#!/bin/sh\ntouch ran\n");
    std::fs::set_permissions(
        nia.here().join(".git/hooks/pre-commit"),
        std::fs::Permissions::from_mode(0o644),
    )
    .unwrap();
    nia.redshank(&["hook", "on", "--yes"]).fine();
    nia.git(&["commit", "-q", "--allow-empty", "-m", "one"]);
    assert!(!nia.here().join("ran").exists());
    // In a shared folder, for people who don't have the program.
    let nia = Person::with_repository();
    nia.writes("hooks/pre-commit", "#!/bin/sh -e\ntouch ran\n");
    std::fs::set_permissions(
        nia.here().join("hooks/pre-commit"),
        std::fs::Permissions::from_mode(0o755),
    )
    .unwrap();
    nia.git(&["config", "core.hooksPath", "hooks"]);
    nia.redshank(&["hook", "on", "--yes"]).fine();
    let said = nia.git(&["commit", "-q", "--allow-empty", "-m", "one"]);
    assert!(said.err.contains("redshank isn't here"), "{}", said.err);
    assert!(nia.here().join("ran").exists());
}

#[test]
fn after_a_cut_and_an_edit_each_file_is_told_and_one_command_goes_on() {
    let broken = || {
        let mut nia = Person::with_repository();
        nia.writes(".gitignore", "*.bak\n");
        nia.writes("uplink.log", "1\n");
        nia.git(&["add", "--all"]);
        let mut number = 1;
        while nia.redshank_killed_at(number, &TIDY) {
            if nia.reads(".gitignore") != b"*.bak\n" {
                nia.writes(".gitignore", "*.bak\nmine\n");
                return nia;
            }
            nia.redshank(&UNDO);
            number += 1;
        }
        panic!("it was never killed after it wrote");
    };
    let number = |nia: &Person| {
        let said = nia.redshank(&["add", "*.tmp", "--write"]);
        assert_eq!(said.code, 2);
        let number = said
            .err
            .split("error: change ")
            .nth(1)
            .unwrap()
            .split(' ')
            .next()
            .unwrap()
            .to_owned();
        let forget = format!("--forget {number}");
        for word in [
            ".gitignore: what it held before is in",
            "--keep-mine",
            "--replace",
            &forget,
        ] {
            assert!(said.err.contains(word), "{word} in {}", said.err);
        }
        number
    };
    let nia = broken();
    nia.redshank(&["undo", &number(&nia), "--keep-mine", "--yes"])
        .fine();
    assert_eq!(nia.reads(".gitignore"), b"*.bak\nmine\n");
    assert_eq!(nia.lists("tracked"), [".gitignore", "uplink.log"]);
    nia.redshank(&["add", "*.tmp", "--write"]).fine();

    let nia = broken();
    let said = nia
        .redshank(&["undo", &number(&nia), "--replace", "--yes"])
        .fine();
    assert_eq!(nia.reads(".gitignore"), b"*.bak\n");
    let kept = said
        .out
        .split("what it held last is in ")
        .nth(1)
        .unwrap()
        .trim();
    assert_eq!(std::fs::read(kept).unwrap(), b"*.bak\nmine\n");
    nia.redshank(&["add", "*.tmp", "--write"]).fine();

    let nia = broken();
    nia.redshank(&["undo", &number(&nia), "--forget", "--yes"])
        .fine();
    assert_eq!(nia.reads(".gitignore"), b"*.bak\nmine\n");
    nia.redshank(&["add", "*.tmp", "--write"]).fine();
}

#[test]
fn forgetting_deletes_what_is_ours_and_moving_away_spares_repositories() {
    let nia = Person::with_repository();
    nia.writes("Cargo.toml", "[package]\n");
    nia.writes(
        "target/CACHEDIR.TAG",
        "Signature: 8a477f597d28d172789f06886806bc55\n",
    );
    nia.git(&["init", "-q", "--bare", "target/kept.git"]);
    nia.redshank(&["tidy", "--remove", "--apply", "--yes"])
        .fine();
    assert!(nia.here().join("target/kept.git/HEAD").exists());
    // A link in the place of the journal: what it leads to is not ours.
    let victim = nia.here().join("../victim");
    std::fs::create_dir_all(victim.join("journal/000001")).unwrap();
    std::fs::write(victim.join("journal/000001/record.json"), "precious").unwrap();
    std::fs::remove_dir_all(nia.here().join(".git/redshank")).unwrap();
    symlink(&victim, nia.here().join(".git/redshank")).unwrap();
    assert_eq!(nia.redshank(&["undo", "--forget", "--yes"]).code, 2);
    assert_eq!(nia.redshank(&["add", "*.tmp", "--write"]).code, 2);
    assert_eq!(
        std::fs::read(victim.join("journal/000001/record.json")).unwrap(),
        b"precious"
    );
    std::fs::remove_file(nia.here().join(".git/redshank")).unwrap();
    // Somebody else's file in an entry stays, and is said.
    nia.redshank(&["add", "*.tmp", "--write"]).fine();
    nia.writes(".git/redshank/journal/000001/notes.txt", "mine");
    let said = nia.redshank(&["undo", "--forget", "--yes"]).fine();
    assert!(said.err.contains("notes.txt"), "{}", said.err);
    assert_eq!(nia.reads(".git/redshank/journal/000001/notes.txt"), b"mine");
}

#[test]
fn what_is_mounted_in_a_moved_folder_is_neither_moved_nor_deleted() {
    let nia = Person::with_repository();
    nia.writes("Cargo.toml", "[package]\n");
    nia.writes("target/app", "1");
    nia.writes("elsewhere/precious", "1");
    std::fs::create_dir_all(nia.here().join("target/data")).unwrap();
    let run = |script: &str| nia.in_a_mount_space(script);
    // Only who may mount can try; elsewhere there is nothing to attack.
    if run("true").is_none() {
        return;
    }
    let said = run("mount --bind elsewhere target/data; \"$REDSHANK\" tidy --remove --apply --yes")
        .unwrap();
    assert_eq!(said.code, 0, "{}", said.err);
    assert!(nia.here().join("target/app").exists());
    nia.redshank(&UNDO).fine();
    nia.redshank(&["tidy", "--remove", "--apply", "--yes"])
        .fine();
    assert!(!nia.here().join("target").exists());
    let said = run(
        "moved=$(ls -d .git/redshank/journal/*/moved-0); mount --bind elsewhere $moved/data; \"$REDSHANK\" undo --forget --yes",
    )
    .unwrap();
    assert!(said.err.contains("moved-0"), "{}", said.err);
    assert_eq!(nia.reads("elsewhere/precious"), b"1");
}

#[test]
fn what_a_killed_run_kept_for_itself_is_cleared_by_the_next() {
    let mut nia = Person::with_repository();
    nia.writes("uplink.log", "staged\n");
    nia.git(&["add", "--all"]);
    // As an earlier version left it: a reference, and no record.
    let blob = nia.git(&["rev-parse", ":uplink.log"]).out;
    nia.git(&["update-ref", "refs/redshank/change-000007", blob.trim()]);
    let mut number = 1;
    while nia.redshank_killed_at(number, &TIDY) {
        let journal = nia.here().join(".git/redshank/journal");
        let has_record = journal.join("000001/record.json").exists();
        if !has_record {
            nia.redshank(&["add", "*.tmp", "--write"]).fine();
            nia.redshank(&UNDO).fine();
            nia.redshank(&["undo", "--forget", "--yes"]).fine();
            assert_eq!(
                std::fs::read_dir(&journal).unwrap().count(),
                0,
                "killed at {number}"
            );
        } else {
            nia.redshank(&UNDO);
            nia.redshank(&["undo", "--forget", "--yes"]).fine();
        }
        assert_eq!(
            nia.git(&["for-each-ref", "refs/redshank"]).out,
            "",
            "killed at {number}"
        );
        number += 1;
    }
    assert!(number > 5);
}
