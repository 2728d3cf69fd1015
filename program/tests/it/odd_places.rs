//! Odd repositories, odd homes, odd shells, hard limits: all is said and undone there as well.

use crate::common::Person;
use std::path::PathBuf;

fn committed(files: &[(&str, &str)]) -> Person {
    let nia = Person::with_repository();
    for (path, text) in files {
        nia.writes(path, text);
    }
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "-qm", "one"]);
    nia
}

#[test]
fn every_form_of_an_index_can_be_tidied_rehearsed_and_undone_whatever_git_did_between() {
    let forms: [&[&str]; 4] = [
        &["update-index", "--split-index"],
        &["update-index", "--index-version", "4"],
        &["update-index", "--untracked-cache"],
        &["config", "feature.manyFiles", "true"],
    ];
    for form in forms {
        for between in [
            &["status"][..],
            &["add", "level.txt"],
            &["commit", "-qam", "two"],
        ] {
            let nia = committed(&[
                ("Cargo.toml", "[package]\nname = \"gauge\"\n"),
                ("src/main.rs", "fn main() {}\n"),
                ("target/debug/gauge", "x"),
                ("level.txt", "1\n"),
            ]);
            nia.git(form);
            nia.redshank(&["rehearse"]).fine();
            nia.redshank(&["tidy", "--apply", "--yes"]).fine();
            assert!(
                !nia.lists("tracked")
                    .contains(&"target/debug/gauge".to_owned())
            );
            nia.writes("level.txt", "2\n");
            nia.git(between);
            nia.redshank(&["undo", "--yes"]).fine();
            let tracked = nia.git_lists(&["--cached"]);
            assert!(
                tracked.contains(&"target/debug/gauge".to_owned()),
                "{form:?} {between:?}"
            );
            nia.git(&["fsck", "--strict"]);
        }
        let nia = committed(&[("station.ini", "port = 1\n")]);
        nia.git(form);
        nia.redshank(&["mute", "station.ini"]).fine();
        nia.redshank(&["unmute", "station.ini"]).fine();
    }
}

#[test]
fn in_a_sparse_checkout_nothing_of_ours_is_outside_its_folders() {
    let nia = committed(&[
        ("web/package.json", "{\"name\":\"gauge\"}"),
        ("tool/Cargo.toml", "[package]\nname = \"gauge\"\n"),
    ]);
    nia.git(&["sparse-checkout", "set", "--cone", "web"]);
    nia.writes("web/node_modules/a/index.js", "x");
    nia.redshank(&["rehearse"]).fine();
    nia.redshank(&["setup", "--yes", "--no-hook", "--commit", "Tidy"])
        .fine();
    assert_eq!(nia.git_says(&["log", "-1", "--format=%s"]).out, "Tidy\n");
    assert!(!nia.here().join(".redshank").exists());
    assert_eq!(nia.git(&["status", "--porcelain"]).out, "");
}

#[test]
fn where_the_key_cannot_be_kept_it_is_said_before_and_undo_works() {
    let mut nia = Person::with_repository();
    nia.writes("uplink.log", "x");
    nia.sets("XDG_STATE_HOME", PathBuf::from("/dev/null/nowhere"));
    let private = nia.home().join("tmp");
    std::fs::create_dir_all(&private).unwrap();
    nia.sets("TMPDIR", private);
    let said = nia.redshank(&["add", "*.log", "--write", "--yes"]).fine();
    assert!(said.err.contains("can't be kept"), "{}", said.err);
    nia.redshank(&["undo", "--yes"]).fine();
    assert!(!nia.here().join(".gitignore").exists());
    nia.sets("HOME", PathBuf::from("relative"));
    let said = nia.redshank(&["add", "*.log", "--write", "--yes"]);
    assert_eq!(said.code, 2);
    assert!(said.err.contains("HOME is a relative path"), "{}", said.err);
    assert!(!nia.here().join("relative").exists());
}

#[test]
fn what_bash_completes_is_no_command() {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "/build;touch PWN\n*.log\n$(touch PWN)\n");
    nia.writes("tide.log", "x");
    let script = "source <(redshank completions bash)\n\
        COMP_WORDS=(redshank drop ''); COMP_CWORD=2\n\
        _clap_complete_redshank redshank '' drop\n\
        for one in \"${COMPREPLY[@]}\"; do eval \"printf '%s\\n' $one\"; done";
    let said = nia.runs_with_redshank("bash", &["-c", script]);
    assert!(!nia.here().join("PWN").exists(), "{}", said.out);
    assert!(
        said.out.contains("/build;touch PWN"),
        "{} {}",
        said.out,
        said.err
    );
}

#[test]
fn a_page_is_written_over_nothing_else_and_behind_no_link_of_the_repository() {
    use std::os::unix::fs::symlink;
    let nia = Person::with_repository();
    let outside = nia.home().join("outside");
    std::fs::create_dir_all(&outside).unwrap();
    symlink(&outside, nia.here().join("linked")).unwrap();
    symlink("/dev/zero", nia.here().join("zero.html")).unwrap();
    nia.runs("mkfifo", &["pipe.html"]).fine();
    for (file, wanted) in [
        ("linked/page.html", "symbolic link of the repository"),
        ("zero.html", "no regular file"),
        ("pipe.html", "no regular file"),
    ] {
        let said = nia.redshank(&["survey", "--page", file]);
        assert_eq!(said.code, 2, "{file}");
        assert!(said.err.contains(wanted), "{file}: {}", said.err);
    }
    assert_eq!(std::fs::read_dir(outside).unwrap().count(), 0);
}

#[test]
fn a_limit_on_file_sizes_is_said_and_leaves_no_lock() {
    let files: Vec<(String, String)> = (0..400)
        .map(|nth| (format!("readings/{nth}.csv"), "1;2\n".to_owned()))
        .collect();
    let files: Vec<(&str, &str)> = files
        .iter()
        .map(|(a, b)| (a.as_str(), b.as_str()))
        .collect();
    let nia = committed(&files);
    let program = env!("CARGO_BIN_EXE_redshank");
    let run = |blocks: u32, words: &str| {
        nia.runs(
            "bash",
            &["-c", &format!("ulimit -f {blocks}; {program} {words}")],
        )
    };
    let said = run(4, "mute readings/1.csv");
    assert_eq!(said.code, 2, "{}", said.err);
    assert!(said.err.contains("ulimit"), "{}", said.err);
    assert!(!nia.here().join(".git/index.lock").exists());
    nia.writes(".gitignore", "x\n".repeat(4000));
    let said = run(4, "add '*.raw' --write --yes");
    assert_eq!(said.code, 2, "{} {}", said.out, said.err);
    assert!(!said.err.is_empty());
}

#[test]
fn sizes_that_are_none_and_a_git_that_is_too_old_are_called_that() {
    let nia = Person::with_repository();
    for size in ["-1", "nan", "\"-5 MiB\"", "inf"] {
        nia.writes("redshank.toml", format!("[limits]\nfile_error = {size}\n"));
        let said = nia.redshank(&["check"]);
        assert_eq!(said.code, 2, "{size}");
        assert!(said.err.contains("is not a size"), "{size}: {}", said.err);
    }
    let mut lev = Person::with_repository();
    lev.writes("bin/git", "#!/bin/sh\nif [ \"$*\" != \"${*%version}\" ]; then echo git version 2.20.1; else exit 129; fi\n");
    lev.runs("chmod", &["+x", "bin/git"]).fine();
    let path = std::env::var_os("PATH").unwrap();
    let path = std::iter::once(lev.here().join("bin")).chain(std::env::split_paths(&path));
    lev.sets("PATH", std::env::join_paths(path).unwrap().into());
    let said = lev.redshank(&["check"]);
    assert_eq!(said.code, 2);
    assert!(said.err.contains("too old: version 2.20.1"), "{}", said.err);
}

#[test]
fn smaller_courtesies() {
    let nia = Person::with_repository();
    // An expectation that only this clone's own rules meet.
    nia.writes(
        "redshank.toml",
        "[[expect]]\npath = \"a.raw\"\nstate = \"ignored\"\n",
    );
    nia.writes(".git/info/exclude", "*.raw\n");
    let said = nia.redshank(&["prove"]).fine();
    assert!(
        said.out.contains("for everybody else, and in CI, it fails"),
        "{}",
        said.out
    );
    // A secret in a reason is not shown whole.
    let token = crate::common::made_up(30, 77);
    nia.writes(
        "redshank.toml",
        format!(
            "[[expect]]\npath = \"a.raw\"\nstate = \"ignored\"\nbecause = \"token = '{token}'\"\n"
        ),
    );
    assert!(
        !nia.redshank(&["prove", "--format", "json"])
            .out
            .contains(&token)
    );
    assert!(!nia.redshank(&["prove"]).out.contains(&token));
    // The rule that nearly matched a tracked file.
    nia.writes("Tide.csv", "1\n");
    nia.git(&["add", "Tide.csv"]);
    nia.writes(".gitignore", "tide.csv\n");
    assert!(
        nia.redshank(&["why", "Tide.csv"])
            .fine()
            .out
            .contains("nearly")
    );
    // A folder that is kept keeps its keep-file.
    nia.writes("uploads/.keep", "");
    nia.writes(".gitignore", "uploads/*\n");
    nia.redshank(&["add", "--contents-of", "uploads", "--write", "--yes"])
        .fine();
    assert!(nia.lists("candidate").contains(&"uploads/.keep".to_owned()));
    // A script that can't be run.
    nia.writes("run.sh", "echo tide\n");
    let said = nia.redshank(&["rehearse", "--", "./run.sh"]);
    assert!(said.err.contains("isn't executable"), "{}", said.err);
    // A finding by its path, a setting by nearly its name, a wrong value.
    nia.writes(".bash_history", "ssh gauge\n");
    nia.redshank(&[
        "accept",
        ".bash_history",
        "--because",
        "a sample",
        "--write",
        "--yes",
    ])
    .fine();
    let check = nia.redshank(&["check", "--format", "json"]).json();
    assert!(!check.to_string().contains(".bash_history"), "{check}");
    let said = nia.redshank(&["settings", "visibilty"]);
    assert!(
        said.err.contains("did you mean `visibility`?"),
        "{}",
        said.err
    );
    let said = nia.redshank(&["settings", "visibility", "publik"]);
    assert!(said.err.contains("private, public"), "{}", said.err);
    // Counts name what the change itself adds.
    let lev = Person::with_repository();
    lev.writes("a.raw", "x");
    let said = lev.redshank(&["add", "*.raw"]).fine();
    assert!(
        said.out.contains("(with .gitignore, which is new)"),
        "{}",
        said.out
    );
}

#[test]
fn little_memory_is_enough_for_a_setup() {
    let nia = Person::new();
    nia.writes("package.json", "{\"name\":\"gauge\"}");
    nia.writes("src/main.js", "export {}\n");
    let program = env!("CARGO_BIN_EXE_redshank");
    // In kB of addresses; a program that isn't optimised, and what it keeps on its stacks, takes up
    // to 50 MB more. A release holds at 180,000.
    let limit = if cfg!(debug_assertions) {
        300_000
    } else {
        200_000
    };
    // The allocator takes addresses in steps of many megabytes: just above one of its steps, little
    // is left. So it is asked at five limits, of which one may be unlucky.
    let failed: Vec<String> = (0..5)
        .filter_map(|nth| {
            let limit = limit + nth * 9_000;
            let words = format!("ulimit -v {limit}; {program} setup --yes --no-hook");
            let said = nia.runs("sh", &["-c", &words]);
            std::fs::remove_dir_all(nia.here().join(".git")).unwrap();
            (said.code != 0).then_some(said.err)
        })
        .collect();
    assert!(failed.len() < 2, "{failed:?}");
}

#[test]
fn a_table_of_files_can_be_opened_in_a_spreadsheet() {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "*.raw\n");
    for path in ["a,b.txt", "say \"hi\".txt", "=1+1.txt", "tide.raw"] {
        nia.writes(path, "12");
    }
    let words = ["files", "--state", "ignored,candidate", "--format", "csv"];
    let said = nia.redshank(&words).fine();
    let expected = "path,state,size,origin,strength,path_b64\n\
                    .gitignore,candidate,6,,,\n\
                    '=1+1.txt,candidate,2,,,\n\
                    \"a,b.txt\",candidate,2,,,\n\
                    \"say \"\"hi\"\".txt\",candidate,2,,,\n\
                    tide.raw,ignored,2,,,\n";
    assert_eq!(said.out, expected);
    let refused = nia.redshank(&["check", "--format", "csv"]);
    assert!(
        refused.code == 2 && refused.err.contains("possible values"),
        "{}",
        refused.err
    );
}
