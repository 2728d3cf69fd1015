//! What goes wrong is said clearly, with the exit code for it, and loses nothing.

use crate::common::Person;
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;

#[test]
fn broken_settings_name_the_line_and_what_was_expected() {
    let nia = Person::with_repository();
    nia.writes("redshank.toml", "[limits]\nfile_warnin = \"1 MiB\"\n");
    let said = nia.redshank(&["check"]);
    assert_eq!(said.code, 2);
    for part in ["redshank.toml, line 2", "file_warnin", "`file_warning`"] {
        assert!(said.err.contains(part), "{part} in {}", said.err);
    }
    nia.writes("redshank.toml", "[limits]\n\nfile_error = \"1 furlong\"\n");
    let said = nia.redshank(&["check"]);
    assert!(
        said.err.contains("line 3") && said.err.contains("10 MiB"),
        "{}",
        said.err
    );
}

#[test]
fn names_that_are_not_text_are_listed_whole_and_shown_harmless() {
    let nia = Person::with_repository();
    let names: [&[u8]; 4] = [
        b"b\xffd",
        b"new\nline",
        b"\x1b[31mred",
        "\u{202e}txt".as_bytes(),
    ];
    for name in names {
        std::fs::write(nia.here().join(OsStr::from_bytes(name)), "").unwrap();
    }
    nia.agrees_with_git();
    let text = nia.redshank(&["files"]).fine().out;
    for shown in ["b\\xffd", "new\\nline", "\\u{1b}[31mred", "\\u{202e}txt"] {
        assert!(text.contains(shown), "{shown} in {text}");
    }
    assert!(
        !text.contains('\u{1b}')
            && !text.contains('\u{202e}')
            && text.lines().count() == names.len()
    );
    let json = nia.redshank(&["files", "--format", "json"]).fine().json();
    assert_eq!(json[1]["path_b64"], "Yv9k");
    let why = nia
        .redshank_told(&["why", "--stdin", "-z", "--format", "jsonl"], b"b\xffd\0")
        .fine()
        .json();
    assert_eq!(
        (why["path_b64"].as_str(), why["verdict"].as_str()),
        (Some("Yv9k"), Some("candidate"))
    );
}

#[test]
fn what_can_not_be_done_ends_with_code_2_and_a_way_out() {
    let nia = Person::with_repository();
    nia.writes("a/b", "");
    nia.git(&["init", "-q", "--bare", "../bare.git"]);
    for (words, expected) in [
        (
            &["survey", "--root", "nowhere"][..],
            "name a folder that exists",
        ),
        (&["survey", "--root", "a/b"], "name a folder that exists"),
        (&["survey", "--root", "../bare.git"], "working tree"),
        (&["why", "../outside"], "name a path inside"),
        (&["try", "x", "--in", "nowhere"], "is not a folder"),
        (&["draft", "rsut"], "did you mean `rust`"),
        (&["draft", "rust@a/b"], "a/b is not a folder of"),
        (&["templates", "show", "pyhton"], "did you mean `python`"),
        (&["undo", "--yes"], "nothing to undo"),
        (&["check", "--format", "yaml"], "possible values"),
    ] {
        let said = nia.redshank(words);
        assert_eq!(said.code, 2, "{words:?}: {}{}", said.out, said.err);
        assert!(said.err.contains(expected), "{words:?}: {}", said.err);
    }
}

#[test]
fn an_ignore_file_behind_a_link_is_neither_read_nor_replaced() {
    let nia = Person::with_repository();
    nia.writes("../rules", "*.c\n");
    nia.writes("x.c", "");
    nia.writes("Cargo.toml", "");
    std::os::unix::fs::symlink("../rules", nia.here().join(".gitignore")).unwrap();
    nia.agrees_with_git();
    let said = nia.redshank(&["draft", "--write", "--yes"]);
    assert_eq!(said.code, 2);
    assert!(
        said.err.contains("reads no rules through a symbolic link"),
        "{}",
        said.err
    );
    assert_eq!(nia.reads("../rules"), b"*.c\n");
}

#[test]
fn a_held_index_is_said_and_nothing_is_changed() {
    let nia = Person::with_repository();
    nia.writes("uplink.log", "");
    nia.git(&["add", "uplink.log"]);
    nia.writes(".git/index.lock", "");
    let said = nia.redshank(&["tidy", "--apply", "--yes"]);
    assert_eq!(said.code, 2);
    assert!(
        said.err.contains("index.lock") && said.err.contains("another git"),
        "{}",
        said.err
    );
    assert!(!nia.here().join(".gitignore").exists());
    assert_eq!(nia.git_lists(&["--cached"]), ["uplink.log"]);
}

#[test]
fn paths_too_deep_for_the_system_are_said_not_skipped() {
    for (name, depth) in [("d".repeat(200), 30), ("d".to_owned(), 10_000)] {
        let nia = Person::with_repository();
        // Longer than a path may be: made by moving ever deeper trees down.
        let (outer, inner) = (nia.here().join(&name), nia.here().join("inner"));
        std::fs::create_dir(&outer).unwrap();
        for _ in 1..depth {
            std::fs::create_dir(&inner).unwrap();
            std::fs::rename(&outer, inner.join(&name)).unwrap();
            std::fs::rename(&inner, &outer).unwrap();
        }
        nia.writes("top.c", "");
        let said = nia.redshank(&["files", "-z"]).fine();
        assert_eq!(said.bytes, b"top.c\0");
        assert!(said.err.contains("not read: "), "{}", said.err);
        // Too deep for the usual way, too.
        assert!(
            std::process::Command::new("rm")
                .arg("-rf")
                .arg(&outer)
                .status()
                .unwrap()
                .success()
        );
    }
}

#[test]
fn rule_files_of_any_kind_are_read_as_git_reads_them() {
    let nia = Person::with_repository();
    nia.writes("a.c", "");
    let long = "x".repeat(1 << 20);
    for rules in [
        format!("{long}\n*.c\n{}", "*a".repeat(1 << 10)).into_bytes(),
        b"a\0b\n*.c\0\n".to_vec(),
        b"*.c".to_vec(),
    ] {
        nia.writes(".gitignore", &rules);
        nia.agrees_with_git();
        assert_eq!(nia.lists("ignored"), ["a.c"]);
        nia.redshank(&["rules"]).fine();
    }
    // git reads no rules from a file over 100 MiB.
    nia.writes(".gitignore", "*.c\n");
    let file = std::fs::File::options()
        .write(true)
        .open(nia.here().join(".gitignore"))
        .unwrap();
    file.set_len((100 << 20) + 1).unwrap();
    nia.agrees_with_git();
    assert_eq!(nia.lists("ignored"), Vec::<String>::new());
}

#[test]
fn a_path_through_a_link_is_refused_as_git_refuses_it() {
    let nia = Person::with_repository();
    nia.writes("real/x.log", "");
    nia.writes(".gitignore", "/real/\n");
    std::os::unix::fs::symlink("real", nia.here().join("link")).unwrap();
    nia.agrees_with_git();
    assert_eq!(
        nia.git_says(&["check-ignore", "--no-index", "link/x.log"])
            .code,
        128
    );
    let said = nia.redshank(&["why", "link/x.log"]);
    assert!(
        said.code == 2 && said.err.contains("behind the symbolic link link"),
        "{}",
        said.err
    );
    assert_eq!(nia.redshank(&["why", "link"]).code, 0);
}

#[test]
fn ten_thousand_folders_deep_is_no_crash() {
    let nia = Person::with_repository();
    let path = "d/".repeat(10_000);
    nia.writes(".gitignore", "**/x/**/y\n*.log\n");
    let said = nia
        .redshank(&["why", &format!("{path}a.log"), "--format", "jsonl"])
        .fine()
        .json();
    assert_eq!(
        (&said["verdict"], &said["rule"]["line"]),
        (&"ignored".into(), &2.into())
    );
}

#[test]
fn manifests_of_any_kind_are_read_as_data_and_stop_nothing() {
    let nia = Person::with_repository();
    let huge = format!("{{\"name\": \"a\", \"x\": \"{}\"}}", "y".repeat(50 << 20));
    nia.writes("huge/package.json", huge);
    nia.writes(
        "broken/package.json",
        "{\"scripts\": {\"build\": \"vite --outDir ../../..\",",
    );
    nia.writes("broken/pyproject.toml", "[tool.mypy\ncache_dir = 1");
    nia.writes("deep/tsconfig.json", "[".repeat(1 << 20));
    nia.writes("deep/package.json", "{\"a\":".repeat(200_000));
    nia.writes("twins/package.json", "{\"name\": \"gauge\"}");
    nia.writes("twins/pyproject.toml", "[project]\nname = \"gauge\"\n");
    nia.writes("../elsewhere/package.json", "{}");
    nia.writes("linked/keep.md", "");
    std::os::unix::fs::symlink(
        "../../elsewhere/package.json",
        nia.here().join("linked/package.json"),
    )
    .unwrap();
    let survey = nia.redshank(&["survey", "--format", "json"]).json();
    let projects: Vec<String> = survey["projects"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| {
            format!(
                "{}@{}",
                one["template"].as_str().unwrap(),
                one["path"].as_str().unwrap()
            )
        })
        .collect();
    for wanted in [
        "node@huge/",
        "node@broken/",
        "python@broken/",
        "node@twins/",
        "python@twins/",
        "node@deep/",
    ] {
        assert!(
            projects.contains(&wanted.to_owned()),
            "{wanted} in {projects:?}"
        );
    }
    assert!(
        !projects.iter().any(|one| one.ends_with("@linked/")),
        "{projects:?}"
    );
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    assert!(!nia.lists("candidate").is_empty());
    nia.agrees_with_git();
}
