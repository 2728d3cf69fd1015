//! Rules seen, tried and drafted.

use crate::common::Person;
use std::io::{BufRead, BufReader, Write};

#[test]
fn why_names_the_rule_what_it_shuts_and_what_nearly_matched() {
    let nia = Person::with_repository();
    nia.writes(
        ".gitignore",
        "*.log\n/build/\n!keep.log\n!build/keep.c\n/Library/\n",
    );
    nia.writes("old.log", "");
    nia.git(&["add", "-f", "old.log"]);
    let why = |path: &str| nia.redshank(&["why", path]).fine().out;
    assert!(
        why("x.log").contains("ignored\n    .gitignore:1  *.log\n                  ^^^^^"),
        "{}",
        why("x.log")
    );
    assert!(why("keep.log").contains("an exception re-includes it"));
    assert!(
        why("build/keep.c").contains("ignores the folder build/"),
        "{}",
        why("build/keep.c")
    );
    assert!(
        why("old.log").contains("tracked already")
            && why("old.log").contains("redshank untrack old.log")
    );
    let near = why("exhibit/Library/x");
    assert!(
        near.contains(".gitignore:5") && near.contains("Library/ would match"),
        "{near}"
    );
    assert!(why("X.LOG").contains("upper and lower case differ"));
    assert_eq!(nia.redshank(&["why", "-q", "x.log"]).code, 0);
    assert_eq!(nia.redshank(&["why", "-q", "x.c"]).code, 1);
}

#[test]
fn a_stream_is_answered_before_it_ends() {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "*.log\n");
    let mut child = nia.starts_redshank(&["why", "--stdin", "-z", "--format", "jsonl"]);
    let mut stdin = child.stdin.take().unwrap();
    let mut answers = BufReader::new(child.stdout.take().unwrap()).lines();
    for (path, verdict) in [
        ("a.log", "ignored"),
        ("a.c", "candidate"),
        ("new/folder/", "candidate"),
    ] {
        stdin.write_all(format!("{path}\0").as_bytes()).unwrap();
        stdin.flush().unwrap();
        let row: serde_json::Value =
            serde_json::from_str(&answers.next().unwrap().unwrap()).unwrap();
        assert_eq!(
            (row["path"].as_str(), row["verdict"].as_str()),
            (Some(path), Some(verdict))
        );
    }
    drop(stdin);
    assert!(child.wait().unwrap().success() && answers.next().is_none());
}

#[test]
fn try_shows_the_effect_and_writes_nothing() {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "/out/\n");
    nia.writes("out/a.bin", "12345");
    nia.writes("x.bin", "123");
    nia.writes("sub/y.bin", "1");
    nia.writes("old.bin", "");
    nia.git(&["add", "old.bin"]);
    let effect = nia
        .redshank(&["try", "*.bin", "--format", "json"])
        .fine()
        .json();
    assert_eq!(
        (&effect["before"]["files"], &effect["after"]["files"]),
        (&4.into(), &2.into())
    );
    assert_eq!(effect["kept_out"][0]["path"], "sub/y.bin");
    assert!(
        nia.redshank(&["try", "*.bin"])
            .fine()
            .out
            .contains("1 file matched without effect")
    );
    let nested = nia
        .redshank(&["try", "/y.bin", "--in", "sub", "--format", "json"])
        .fine()
        .json();
    assert_eq!(nested["kept_out"].as_array().unwrap().len(), 1);
    let opened = nia
        .redshank(&["try", "!/out/", "--format", "json"])
        .fine()
        .json();
    assert_eq!(
        (&opened["let_in"][0]["path"], &opened["after"]["size"]),
        (&"out/a.bin".into(), &15.into())
    );
    assert_eq!(nia.reads(".gitignore"), b"/out/\n");
    nia.git(&["status"]);
}

#[test]
fn a_draft_fits_every_project_keeps_what_stands_and_is_idempotent() {
    let nia = Person::with_repository();
    nia.writes("Cargo.toml", "[workspace]\n");
    nia.writes("member/Cargo.toml", "[package]\n");
    nia.writes("a b/[web]/package.json", "{}");
    nia.writes("a b/[web]/node_modules/x/package.json", "{}");
    nia.writes("one/two/three/pyproject.toml", "");
    nia.writes("one/two/three/odd-name/pyvenv.cfg", "");
    nia.writes("one/two/three/odd-name/lib/x.py", "");
    nia.writes(".gitignore", "# ours\r\n__pycache__/\r\n*.tmp");
    let shown = nia.redshank(&["draft"]).fine().out;
    assert_eq!(nia.reads(".gitignore"), b"# ours\r\n__pycache__/\r\n*.tmp");
    assert!(
        shown.contains("+ /target/") && shown.contains("to commit: 8 files"),
        "{shown}"
    );
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    let text = String::from_utf8(nia.reads(".gitignore")).unwrap();
    assert!(text.starts_with("# ours\r\n__pycache__/\r\n*.tmp\r\n"));
    assert!(
        text.lines().all(|line| !line.ends_with('\r'))
            && text.matches('\n').count() == text.matches("\r\n").count()
    );
    for line in [
        "/target/",
        "node_modules/",
        "/a b/\\[web]/coverage/",
        "/one/two/three/dist/",
        "/one/two/three/odd-name/",
    ] {
        assert!(text.lines().any(|found| found == line), "{line} in {text}");
    }
    assert!(
        !text.contains("/member/") && !text.contains("/one/two/three/**/__pycache__/"),
        "covered: {text}"
    );
    for made in [
        "a b/[web]/node_modules/x/package.json",
        "one/two/three/odd-name/lib/x.py",
        "target/x",
        "member/target/x",
    ] {
        let ignored = nia
            .git_says(&["check-ignore", "--no-index", "-q", made])
            .code
            == 0;
        assert_eq!(ignored, made != "member/target/x", "{made}");
    }
    assert!(
        nia.redshank(&["draft", "--write", "--yes"])
            .fine()
            .out
            .contains("nothing to write")
    );
    assert_eq!(text.as_bytes(), nia.reads(".gitignore"));
    nia.redshank(&["undo", "--yes"]).fine();
    assert_eq!(nia.reads(".gitignore"), b"# ours\r\n__pycache__/\r\n*.tmp");
}

#[test]
fn a_needed_file_that_a_rule_swallows_is_let_in() {
    let nia = Person::with_repository();
    nia.writes("kiosk/settings.gradle", "");
    nia.writes("kiosk/gradle/wrapper/gradle-wrapper.jar", "PK");
    nia.writes(".gitignore", "*.jar\n");
    let check = nia.redshank(&["check", "--format", "json"]).json();
    assert_eq!(check["findings"][0]["rule"], "needed/swallowed");
    assert_eq!(
        check["findings"][0]["path"],
        "kiosk/gradle/wrapper/gradle-wrapper.jar"
    );
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    assert!(
        nia.lists("candidate")
            .contains(&"kiosk/gradle/wrapper/gradle-wrapper.jar".to_owned())
    );
    nia.redshank(&["undo", "--yes"]).fine();
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    assert!(
        nia.lists("candidate")
            .contains(&"kiosk/gradle/wrapper/gradle-wrapper.jar".to_owned())
    );
    nia.agrees_with_git();
    nia.writes(".gitignore", "gradle/\n");
    let shut = nia.redshank(&["check", "--format", "json"]).json();
    assert!(
        shut["findings"][0]["remedy"]
            .as_str()
            .unwrap()
            .contains("kiosk/gradle/ is ignored"),
        "{shut}"
    );
}

#[test]
fn a_rule_that_cannot_work_is_shown_with_a_marker_under_the_fault_and_the_mend() {
    let nia = Person::with_repository();
    nia.writes(
        ".gitignore",
        "target/ # build\nlogs\\old\n./dist\nout/\n!out/keep.c\n",
    );
    nia.writes("out/keep.c", "");
    let text = nia.redshank(&["rules"]).fine().out;
    for (line, marker, fix) in [
        (
            "1  target/ # build",
            "         ^^^^^^^^",
            "did you mean `target/`?",
        ),
        ("2  logs\\old", "      ^", "did you mean `logs/old`?"),
        ("3  ./dist", "  ^", "did you mean `/dist`?"),
        ("5  !out/keep.c", "  ^^^^^^^^^^^", "`/out/*`"),
    ] {
        let shown = format!("    .gitignore:{line}\n{}{marker}\n    ", " ".repeat(16));
        let after = text
            .split_once(&shown)
            .unwrap_or_else(|| panic!("no {shown:?} in:\n{text}"))
            .1;
        assert!(after.lines().next().unwrap().contains(fix), "{text}");
    }
}
