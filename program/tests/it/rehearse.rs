//! What a clone of the next commit holds, and what a command leaves behind in it.

use crate::common::Person;
use serde_json::{Value, json};
use std::os::unix::fs::{PermissionsExt, symlink};

fn rehearsed(person: &Person, words: &[&str]) -> Value {
    person
        .redshank(&[&["rehearse", "--format", "json"], words].concat())
        .json()
}

/// These facts of each thing that is new and not ignored.
fn facts(run: &Value, names: &[&str]) -> Vec<Value> {
    let new = run["unruled"].as_array().unwrap().iter();
    new.map(|new| names.iter().map(|name| new[name].clone()).collect())
        .collect()
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
    let new = |path: &str, rule: &str| json!([path, 1, 2, rule, "proposed", 1, 1]);
    assert_eq!(
        facts(
            run,
            &[
                "path", "files", "size", "rule", "standing", "runs", "of_runs"
            ]
        ),
        [
            new("deep/new/", "/deep/new/"),
            new("level.cache", "/level.cache")
        ]
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
    assert!(said.out.contains("no unignored leftovers"), "{}", said.out);
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
        (&json!("/t*.tmp"), &json!(4))
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

/// A script that leaves something behind: the same, something with another name, and, where there
/// is a flag, one thing more.
const BUILD: &str = "mkdir -p report && echo 1 > report/a.html && echo 1 > report/b.html\n\
                     echo 1 > trace-$(date +%s%N).out; [ ! -e flag ] || echo 1 > extra.bin\n";

#[test]
fn what_each_run_leaves_behind_is_told_from_what_one_does() {
    let nia = Person::with_repository();
    nia.writes("build.sh", BUILD);
    let run = || rehearsed(&nia, &["--here", "--", "sh", "build.sh"])["run"].clone();
    let known = ["rule", "standing", "runs", "of_runs"];
    run();
    let second = facts(&run(), &known);
    assert_eq!(
        second,
        [
            json!(["/report/", "proposed", 2, 2]),
            json!(["/trace-*.out", "proposed", 2, 2])
        ]
    );
    nia.writes("flag", "");
    let third = facts(&run(), &known);
    assert_eq!(third[0], json!(["/extra.bin", "not-every-time", 1, 3]));
    assert_eq!(
        third[1..],
        [
            json!(["/report/", "proposed", 3, 3]),
            json!(["/trace-*.out", "proposed", 3, 3])
        ]
    );
    std::fs::remove_file(nia.here().join("flag")).unwrap();
    let fourth = run();
    assert_eq!(fourth["not_again"], json!(["/extra.bin"]));
    // Once somebody has put something of their own there, it is theirs again.
    nia.writes("report/own.txt", "read this");
    assert_eq!(
        facts(&run(), &known),
        [json!(["/trace-*.out", "proposed", 5, 5])]
    );
    // Another command has not been run so far; and a clone of it counts like a run here.
    let other = rehearsed(&nia, &["--", "sh", "-c", "echo 1 > one.out"]);
    assert_eq!(
        facts(&other["run"], &known),
        [json!(["/one.out", "proposed", 1, 1])]
    );
}

#[test]
fn no_rule_is_learned_that_would_take_work_away() {
    let nia = Person::with_repository();
    nia.writes("package.json", "{\"name\": \"kiosk\", \"private\": true}");
    nia.writes("data/tides.csv", "1");
    nia.writes("src/kiosk.py", "x = 1\n");
    nia.writes("notes.txt", "one");
    // It formats what is there, and starts something new.
    let tool = "echo 'x = 2' > src/kiosk.py; echo two > notes.txt; echo 'y = 1' > src/new.py; \
                echo '{}' > package-lock.json; for n in a b c; do echo 1 > data/$n.csv; done; \
                mkdir parts; echo 'z = 1' > parts/a.py; mkdir node_modules; echo 1 > node_modules/a";
    let report = rehearsed(&nia, &["--here", "--", "sh", "-c", tool]);
    let run = &report["run"];
    assert_eq!(
        facts(run, &["rule", "standing"]),
        [
            json!(["/data/a.csv", "with-work"]),
            json!(["/data/b.csv", "with-work"]),
            json!(["/data/c.csv", "with-work"]),
            json!(["/node_modules/", "proposed"]),
            json!(["/package-lock.json", "needed"]),
            json!(["/parts/", "work"]),
            json!(["/src/new.py", "work"]),
        ]
    );
    assert_eq!(
        run["rewritten"],
        json!([{ "path": "notes.txt" }, { "path": "src/kiosk.py" }])
    );
    let said = nia.redshank(&[
        "rehearse",
        "--here",
        "--",
        "sh",
        "-c",
        "echo 'y = 2' > other.py",
    ]);
    assert!(
        said.out.contains("looks like source files") && !said.out.contains("redshank add"),
        "{}",
        said.out
    );
}

#[test]
fn whoever_has_a_file_open_to_write_is_told_and_what_came_and_went() {
    let nia = Person::with_repository();
    nia.writes(
        "tool.sh",
        "exec 3> level.out; : > gone.out; sleep 1; rm gone.out; echo 1 >&3\n",
    );
    let report = rehearsed(
        &nia,
        &["--here", "--", "sh", "tool.sh", "--key=not-to-be-told"],
    );
    let new = &report["run"]["unruled"][0];
    assert_eq!(
        (&new["rule"], &new["by"]),
        (&json!("/level.out"), &json!(["sh tool.sh"]))
    );
    assert!(new["last"].as_f64() > Some(0.9), "{new}");
    assert_eq!(report["run"]["passing"], json!([{ "path": "gone.out" }]));
    // What is secret in a command isn't kept.
    let secret = crate::common::made_up(40, 7);
    let command = format!("true; PASSWORD={secret}");
    nia.redshank(&["rehearse", "--here", "--", "sh", "-c", &command])
        .fine();
    let kept = String::from_utf8(nia.reads(".git/redshank/runs.json")).unwrap();
    assert!(
        kept.contains("PASSWORD=") && !kept.contains(&secret),
        "{kept}"
    );
    nia.writes(".git/redshank/runs.json", "{");
    let said = nia.redshank(&["rehearse", "--here", "--", "true"]);
    assert!(
        said.code == 2 && said.err.contains("delete it"),
        "{}",
        said.err
    );
}

#[test]
fn a_watch_tells_what_comes_until_somebody_ends_it() {
    for end in ["\n", "\u{3}"] {
        let mut nia = Person::with_repository();
        nia.sets("NO_COLOR", "1".into());
        nia.writes(
            "tool.sh",
            "sleep 3; exec 3> level.out; sleep 3; mkdir out; echo 1 > out/a; exec 4> out/b; sleep 4\n",
        );
        let keys = [("Enter ends it", ""), ("level.out", ""), ("out/", end)];
        let mut at_work = None;
        let said = nia.redshank_at_a_terminal_meanwhile("rehearse --here", &keys, &mut || {
            nia.writes("by-hand.txt", "1");
            at_work = Some(nia.command("sh").arg("tool.sh").spawn().unwrap());
        });
        at_work.unwrap().wait().unwrap();
        assert!(said.out.contains("watched for"), "{}", said.out);
        assert!(end != "\n" || said.code == 1, "{}", said.code);
        let add = "redshank add /level.out /out/ --write";
        let (told, proposed) = said.out.split_once("left to you").unwrap();
        assert!(
            told.contains("new  level.out") && proposed.contains(add),
            "{}",
            said.out
        );
        assert!(proposed.contains("perhaps by hand"), "{}", said.out);
    }
    let nia = Person::with_repository();
    let said = nia.redshank(&["rehearse", "--here"]);
    assert!(
        said.code == 2 && said.err.contains("needs a terminal"),
        "{}",
        said.err
    );
}

#[test]
fn a_build_proves_what_it_makes_and_what_it_misses() {
    let nia = Person::with_repository();
    // Without a word of its outputs: the folder comes from outside.
    nia.writes(
        "level.sh",
        "#!/bin/sh\nmkdir -p \"$1\"\nsort tides.txt > \"$1/sorted\"\ndate +%N > \"$1/moment\"\n",
    );
    nia.writes("tides.txt", "2\n1\n");
    let build = ["--", "sh", "level.sh", "seen"];
    nia.runs("sh", &["level.sh", "seen"]);
    nia.writes("oracle.idx", "12 of unknown origin\n");
    let prove = |words: &[&str]| rehearsed(&nia, &[&["--prove"], words].concat());
    let outcomes = |proof: &Value| -> Vec<(String, String)> {
        let left_out = proof["left_out"].as_array().unwrap().iter();
        let text = |value: &Value| value.as_str().unwrap().to_owned();
        left_out
            .map(|file| (text(&file["path"]), text(&file["outcome"])))
            .collect()
    };
    let of = |path: &str, outcome: &str| (path.to_owned(), outcome.to_owned());
    assert_eq!(
        outcomes(&prove(&build)),
        [
            of("oracle.idx", "not-made"),
            of("seen/moment", "other"),
            of("seen/sorted", "same")
        ]
    );
    // What the command needs is named, and what it fails without in any case is not blamed.
    let needs = prove(&["--", "sh", "-c", "cat oracle.idx && sh level.sh seen"]);
    assert!(outcomes(&needs).contains(&of("oracle.idx", "missed")));
    let fails = prove(&["--", "sh", "-c", "exit 3"]);
    assert!(
        outcomes(&fails)
            .iter()
            .all(|(_, outcome)| outcome == "unknown")
    );
    let said = nia.redshank(&[&["rehearse", "--prove"], &build[..]].concat());
    assert!(
        said.out.contains("tidy ignores the 2 files"),
        "{}",
        said.out
    );
    nia.git(&["add", "seen/moment"]);
    let said = nia.redshank(&[&["rehearse", "--prove"], &build[..]].concat());
    assert!(
        said.out.contains("redshank untrack seen/moment"),
        "{}",
        said.out
    );
    nia.git(&["rm", "-q", "--cached", "seen/moment"]);
    // What came back is certain from now on; what a person re-includes is committed nevertheless.
    let why = nia.redshank(&["why", "--origin", "seen/sorted"]);
    assert!(
        why.out.contains("made it again in a clone without it"),
        "{}",
        why.out
    );
    nia.writes(".gitignore", "!/seen/moment\n");
    nia.redshank(&["tidy", "--apply", "--yes"]);
    let held = nia.git_lists(&["--others", "--exclude-standard"]);
    assert_eq!(
        held,
        [
            ".gitignore",
            "level.sh",
            "oracle.idx",
            "seen/moment",
            "tides.txt"
        ]
    );
}

#[test]
fn a_copy_without_history_holds_the_same_and_nothing_else() {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "*.raw\n");
    nia.writes("old.txt", "nobody needs to see it");
    nia.writes("run.sh", "#!/bin/sh\n");
    nia.writes("forced.raw", "tracked anyway");
    nia.writes("ignored.raw", "x");
    let may_run = PermissionsExt::from_mode(0o755);
    std::fs::set_permissions(nia.here().join("run.sh"), may_run).unwrap();
    symlink("run.sh", nia.here().join("link")).unwrap();
    nia.git(&["add", "--all"]).fine();
    nia.git(&["add", "--force", "forced.raw"]).fine();
    nia.git(&["commit", "--quiet", "--message", "before"])
        .fine();
    let old = nia.git_says(&["rev-parse", "HEAD:old.txt"]).out;
    nia.git(&["rm", "--quiet", "old.txt"]).fine();
    nia.git(&["commit", "--quiet", "--message", "without"])
        .fine();
    nia.writes("new.txt", "not committed yet");
    for wrong in ["inside", "."] {
        let said = nia.redshank(&["rehearse", "--export", wrong]);
        assert_eq!(said.code, 2, "{wrong}: {}", said.out);
    }
    let words = ["rehearse", "--export", "../copy", "--format", "json"];
    let said = nia.redshank(&words).json();
    crate::schemas::valid("rehearse", &said);
    let commit = said["export"]["commit"].as_str().unwrap().to_owned();
    // The same as a commit of everything here would hold.
    nia.git(&["add", "--all"]).fine();
    let tree = nia.git_says(&["write-tree"]).out;
    let mut copy = nia.again();
    copy.goes_to("../copy");
    assert_eq!(copy.git_says(&["rev-parse", "HEAD^{tree}"]).out, tree);
    assert_eq!(copy.git_says(&["rev-list", "--all"]).out.trim(), commit);
    assert_eq!(copy.git_says(&["status", "--porcelain"]).out, "");
    let objects = ["cat-file", "--batch-all-objects", "--batch-check"];
    let objects = copy.git_says(&objects).out;
    assert!(
        objects.contains(&commit) && !objects.contains(old.trim()),
        "none of the history"
    );
    assert!(!copy.here().join(".git/objects/info/alternates").exists());
    assert!(!copy.here().join("ignored.raw").exists());
    let again = nia.redshank(&["rehearse", "--export", "../copy"]);
    assert!(
        again.code == 2 && again.err.contains("is there already"),
        "{}",
        again.err
    );
    // What wasn't looked into is no all-clear.
    nia.writes("levels.zip", "PK\u{3}\u{4}");
    let said = nia.redshank(&["rehearse", "--export", "../packed"]).fine();
    assert!(
        said.out.contains("1 archive was not scanned"),
        "{}",
        said.out
    );
    assert!(said.out.contains("in what was scanned"), "{}", said.out);
    // What shouldn't be in it is counted.
    nia.writes("id_rsa", crate::common::private_key());
    let said = nia.redshank(&["rehearse", "--export", "../other"]);
    assert!(
        said.code == 1 && said.out.contains("1 error in it"),
        "{}",
        said.out
    );
}
