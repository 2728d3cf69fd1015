//! What a clone of the next commit holds, and what a command leaves behind in it.

use crate::common::Person;
use serde_json::{Value, json};
use std::os::unix::fs::{PermissionsExt, symlink};

fn rehearsed(person: &Person, words: &[&str]) -> Value {
    person
        .redshank(&[&["rehearse", "--format", "json"], words].concat())
        .json()
}

fn gauge() -> Person {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "/out/\n.env\n");
    nia.writes(".gitattributes", "*.txt text eol=crlf\n");
    nia.writes(
        "level.sh",
        "#!/bin/sh\nmkdir -p out deep/new && echo 1 > out/a.bin && echo 2 > deep/new/b && echo 3 > level.cache\n",
    );
    std::fs::set_permissions(
        nia.here().join("level.sh"),
        std::fs::Permissions::from_mode(0o755),
    )
    .unwrap();
    nia.writes("deep/notes.txt", "one\ntwo\n");
    nia.writes(".env", "PORT=1\n");
    symlink("level.sh", nia.here().join("run")).unwrap();
    nia
}

#[test]
fn the_clone_holds_what_gits_own_clone_of_the_commit_holds() {
    let nia = gauge();
    let listing =
        "for p in $(git ls-files); do stat -c '%N %A %s' $p; cat $p; done; ls -A; cat .env";
    let said = nia.redshank(&["rehearse", "-q", "--", "sh", "-c", listing]);
    let status = nia.git(&["status", "--porcelain"]).out;
    assert!(!status.contains('A'), "nothing was staged: {status}");
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "-qm", "one"]);
    nia.git(&["clone", "-q", ".", "../clone"]);
    let theirs = std::process::Command::new("sh")
        .args(["-c", listing])
        .current_dir(nia.here().join("../clone"))
        .output()
        .unwrap();
    let theirs = String::from_utf8(theirs.stdout).unwrap();
    assert!(
        theirs.contains("one\r\n") && theirs.contains("run"),
        "{theirs}"
    );
    assert!(said.out.starts_with(&theirs), "{}\n---\n{theirs}", said.out);
    assert!(!said.out.contains("PORT"));
}

#[test]
fn what_a_run_creates_is_told_with_rules_that_keep_it_out() {
    let nia = gauge();
    let report = rehearsed(&nia, &["--", "./run"]);
    assert_eq!(report["clone"]["files"], 5);
    let run = &report["run"];
    assert_eq!(
        (&run["exit_code"], &run["changed"]),
        (&json!(0), &json!([]))
    );
    assert_eq!(
        run["ignored"],
        json!([{ "source": ".gitignore", "line": 1, "rule": "/out/", "files": 1, "size": 2 }])
    );
    let new = |path: &str, rule: &str| json!({ "path": path, "files": 1, "size": 2, "rule": rule });
    assert_eq!(
        run["unruled"],
        json!([
            new("deep/new/", "/deep/new/"),
            new("level.cache", "/level.cache")
        ])
    );
    assert!(
        !nia.here().join("out").exists(),
        "the folder itself is as it was"
    );
    // The proposed rules are all it takes.
    let said = nia.redshank(&["rehearse", "--", "./run"]);
    assert_eq!(said.code, 1);
    assert!(
        said.out
            .contains("redshank add /deep/new/ /level.cache --write"),
        "{}",
        said.out
    );
    nia.redshank(&["add", "/deep/new/", "/level.cache", "--write"])
        .fine();
    let said = nia.redshank(&["rehearse", "--", "./run"]).fine();
    assert!(
        said.out.contains("nothing new that no rule keeps out"),
        "{}",
        said.out
    );
    // Here, without a clone.
    nia.redshank(&["rehearse", "--here", "--", "./run"]).fine();
    assert!(nia.here().join("out/a.bin").exists());
}

#[test]
fn a_failure_a_change_and_a_missing_file_are_told() {
    let nia = gauge();
    let said = nia.redshank(&["rehearse", "--", "sh", "-c", "cat .env"]);
    assert_eq!(said.code, 1);
    assert!(said.out.contains("it failed with 1"), "{}", said.out);
    let report = rehearsed(
        &nia,
        &[
            "--",
            "sh",
            "-c",
            "echo more >> deep/notes.txt; for n in 1 2 3 4; do echo > t$n.tmp; done",
        ],
    );
    assert_eq!(
        report["run"]["changed"],
        json!([{ "path": "deep/notes.txt" }])
    );
    assert_eq!(
        (
            &report["run"]["unruled"][0]["rule"],
            &report["run"]["unruled"][0]["files"]
        ),
        (&json!("/*.tmp"), &json!(4))
    );
    let said = nia.redshank(&["rehearse", "--", "no-such-program"]);
    assert_eq!(said.code, 2);
    assert!(said.err.contains("no-such-program"), "{}", said.err);

    nia.git(&["add", "level.sh"]);
    assert_eq!(rehearsed(&nia, &["--staged"])["clone"]["files"], 1);

    let demo = Person::with_demo();
    let report = rehearsed(&demo, &[]);
    assert_eq!(
        report["missing"][0]["path"],
        "kiosk/gradle/wrapper/gradle-wrapper.jar"
    );
    assert_eq!(report["run"], Value::Null);
}

#[test]
fn a_linked_tree_and_a_repository_without_a_commit_are_rehearsed_too() {
    let mut nia = Person::with_repository();
    assert_eq!(rehearsed(&nia, &["--", "true"])["clone"]["files"], 0);
    nia.writes("a.txt", "x");
    nia.git(&["add", "."]);
    nia.git(&["commit", "-qm", "one"]);
    nia.git(&["worktree", "add", "-q", "../linked"]);
    nia.goes_to("../linked");
    nia.writes("b.txt", "y");
    let report = rehearsed(&nia, &["--", "sh", "-c", "test -f a.txt && test -f b.txt"]);
    assert_eq!(
        (&report["clone"]["files"], &report["run"]["exit_code"]),
        (&json!(2), &json!(0))
    );
    assert_eq!(nia.git(&["status", "--porcelain"]).out, "?? b.txt\n");
}

#[test]
fn what_files_of_the_commit_refer_to_and_a_clone_would_lack_is_told() {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "local.h\n/parts/kiosk/\n*.mk\n/target/\n");
    nia.writes(
        "Cargo.toml",
        "[workspace]\nmembers = ['gauge', 'parts/kiosk']\n",
    );
    nia.writes("gauge/Cargo.toml", "[package]\nname = 'gauge'\n");
    nia.writes("parts/kiosk/Cargo.toml", "[package]\nname = 'kiosk'\n");
    nia.writes(
        "level.c",
        "#include \"local.h\"\n#include \"elsewhere.h\"\n#include \"target/made.h\"\n",
    );
    nia.writes("local.h", "");
    nia.writes("target/made.h", "/* Generated by a build script. */");
    nia.writes("Makefile", "include rules.mk\n-include own.mk\n");
    nia.writes("rules.mk", "");
    nia.writes("own.mk", "");
    let missing = |words: &[&str]| {
        let report = rehearsed(&nia, words);
        let each = report["missing"].as_array().unwrap().clone();
        each.iter()
            .map(|m| (m["path"].as_str().unwrap().to_owned(), m["rule"].clone()))
            .collect::<Vec<_>>()
    };
    let out = |path: &str, rule: &str| (path.to_owned(), json!(rule));
    assert_eq!(
        missing(&[]),
        [
            out("local.h", "local.h"),
            out("parts/kiosk/", "/parts/kiosk/"),
            out("rules.mk", "*.mk")
        ]
    );
    let said = nia.redshank(&["rehearse"]);
    assert_eq!(said.code, 1);
    assert!(
        said.out
            .contains("Makefile refers to it: rules that it includes"),
        "{}",
        said.out
    );
    // With only a part staged, the rest is missing, too.
    nia.git(&["add", "Cargo.toml"]);
    let staged = missing(&["--staged"]);
    assert_eq!(
        staged,
        [
            ("gauge/".to_owned(), Value::Null),
            out("parts/kiosk/", "/parts/kiosk/")
        ]
    );
}

#[test]
fn a_template_is_made_of_what_a_run_created() {
    let nia = gauge();
    assert_eq!(
        nia.redshank(&["templates", "new", "level", "--from-run"])
            .code,
        2,
        "nothing was rehearsed yet"
    );
    nia.redshank(&["rehearse", "-q", "--", "sh", "-c", "./run; touch 'a b.log'"]);
    let said = nia
        .redshank(&["templates", "new", "level", "--from-run", "--write"])
        .fine();
    assert!(said.out.contains("level.toml"), "{}", said.out);
    let shown = nia.redshank(&["templates", "show", "level"]).fine();
    for rule in ["/out/", "/deep/new/", "/level.cache", "/a b.log"] {
        assert!(shown.out.contains(rule), "{rule}: {}", shown.out);
    }
    assert!(
        shown.out.contains("made by `sh -c './run; touch"),
        "{}",
        shown.out
    );
}

#[test]
fn a_command_runs_in_the_clone_where_the_person_stands() {
    let mut nia = gauge();
    nia.goes_to("deep");
    let said = rehearsed(&nia, &["--", "test", "-e", "notes.txt"]);
    assert_eq!(said["run"]["exit_code"], 0);
    let top = nia.here().parent().unwrap().to_owned();
    nia.stands_in(&top);
    nia.writes("out/a", "1");
    nia.goes_to("out");
    let said = nia.redshank(&["rehearse", "--", "true"]);
    assert!(said.err.contains("a clone has no out/"), "{}", said.err);
}

#[test]
fn whoever_stops_a_rehearsal_leaves_no_clone_behind() {
    let mut nia = gauge();
    nia.sets("TMPDIR", nia.home());
    let keys = [("$ sleep", "\u{3}")];
    let said = nia.redshank_at_a_terminal("rehearse -- sleep 50", &keys);
    assert!(said.out.contains("stopped"), "{}", said.out);
    assert_eq!(said.code, 130);
    nia.stands_in(&nia.home());
    let left = nia.runs("find", &[".", "-path", "*redshank-*/*"]).out;
    assert_eq!(left, "");
}
