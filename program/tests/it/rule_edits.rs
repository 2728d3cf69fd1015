//! Rules written, taken out, looked at and proven.

use crate::common::Person;
use serde_json::Value;

#[test]
fn a_rule_goes_where_it_is_for() {
    let mut nia = Person::with_repository();
    nia.writes("gauge/level.dat", "");
    let add = |person: &Person, words: &[&str]| {
        person
            .redshank(&[&["add", "--write"], words].concat())
            .fine()
    };
    add(&nia, &["*.tmp"]);
    add(&nia, &["*.dat", "--in", "gauge"]);
    add(&nia, &["notes.md", "--for", "clone"]);
    let refused = nia.redshank(&["add", "--write", "*.swp", "--for", "personal"]);
    assert_eq!(refused.code, 2);
    assert!(refused.err.contains("--create"), "{}", refused.err);
    assert!(!nia.home().join(".config/git/ignore").exists());
    std::fs::create_dir_all(nia.home().join(".config/git")).unwrap();
    add(&nia, &["*.swp", "--for", "personal", "--create"]);
    assert_eq!(nia.reads(".gitignore"), b"*.tmp\n");
    assert_eq!(nia.reads("gauge/.gitignore"), b"*.dat\n");
    assert!(nia.reads(".git/info/exclude").ends_with(b"notes.md\n"));
    for path in ["a.tmp", "gauge/b.dat", "notes.md", "c.swp"] {
        nia.git(&["check-ignore", "--no-index", "-q", path]);
    }
    for _ in 0..4 {
        nia.redshank(&["undo", "--yes"]).fine();
    }
    assert!(
        !nia.here().join(".gitignore").exists() && !nia.home().join(".config/git/ignore").exists()
    );
    assert!(!nia.reads(".git/info/exclude").ends_with(b"notes.md\n"));
    nia.goes_to("gauge");
    add(&nia, &["--for", "folder", "*.dat"]);
    assert_eq!(nia.reads(".gitignore"), b"*.dat\n");
}

#[test]
fn nothing_is_added_twice_or_when_it_is_covered() {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "*.log\r\n/out/\r\n# end");
    nia.writes("a.log", "");
    nia.writes("out/x", "");
    let said = nia
        .redshank(&["add", "--write", "*.log", "a.log", "/out/x", "*.new"])
        .fine()
        .out;
    assert!(said.contains("`*.log` is already in .gitignore"), "{said}");
    assert!(
        said.contains("`a.log` is covered already by .gitignore, line 1: `*.log`"),
        "{said}"
    );
    assert_eq!(
        nia.reads(".gitignore"),
        b"*.log\r\n/out/\r\n# end\r\n*.new\r\n"
    );
    nia.redshank(&["add", "*.other"]).fine();
    assert!(
        !String::from_utf8(nia.reads(".gitignore"))
            .unwrap()
            .contains("other"),
        "shown only"
    );
    nia.writes(".gitignore", b"\xff\xfe*\0.\0");
    let refused = nia.redshank(&["add", "--write", "*.x"]);
    assert!(
        refused.code == 2 && refused.err.contains("UTF-16"),
        "{}",
        refused.err
    );
}

#[test]
fn a_pattern_made_from_a_file_catches_what_its_width_says() {
    let nia = Person::with_repository();
    for path in ["a b/[1].raw", "a b/two.raw", "c/[1].raw", "c/x.txt"] {
        nia.writes(path, "12");
    }
    let offered = nia.redshank(&["add", "--like", "a b/[1].raw"]).fine().out;
    let rows: Vec<Vec<&str>> = offered
        .lines()
        .take(4)
        .map(|line| {
            line.split("  ")
                .map(str::trim)
                .filter(|c| !c.is_empty())
                .collect()
        })
        .collect();
    assert_eq!(
        rows,
        [
            ["this file", "/a b/\\[1].raw", "1", "2 B"],
            ["this name anywhere", "\\[1].raw", "2", "4 B"],
            ["this type", "*.raw", "3", "6 B"],
            ["this folder", "/a b/", "2", "4 B"],
        ]
    );
    for (width, ignored) in [("file", 1), ("name", 2), ("type", 3), ("folder", 2)] {
        nia.redshank(&["add", "--like", "a b/[1].raw", "--width", width, "--write"])
            .fine();
        assert_eq!(nia.lists("ignored").len(), ignored, "{width}");
        nia.agrees_with_git();
        nia.redshank(&["undo", "--yes"]).fine();
    }
    let none = nia.redshank(&["add", "--like", "c", "--width", "type"]);
    assert_eq!(none.code, 2);
}

#[test]
fn a_folder_is_kept_without_its_contents() {
    let nia = Person::with_repository();
    nia.writes("cache/a/b", "");
    nia.redshank(&["add", "--contents-of", "cache", "--write"])
        .fine();
    nia.git(&["add", "--all"]);
    assert_eq!(nia.lists("tracked"), ["cache/.gitignore"]);
    assert_eq!(nia.lists("ignored"), ["cache/a/b"]);
}

#[test]
fn a_rule_is_taken_out_and_no_other_line_changes() {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "# keep\n*.log  \n\n*.tmp\r\nlast");
    nia.writes("a.log", "1");
    let effect = nia
        .redshank(&["drop", "*.log", "--write", "--format", "json"])
        .fine()
        .json();
    assert_eq!(effect["let_in"][0]["path"], "a.log");
    assert_eq!(nia.reads(".gitignore"), b"# keep\n\n*.tmp\r\nlast");
    nia.redshank(&["drop", "*.tmp", "--write"]).fine();
    assert_eq!(nia.reads(".gitignore"), b"# keep\n\nlast");
    let refused = nia.redshank(&["drop", "*.none", "--write"]);
    assert!(
        refused.code == 2 && refused.err.contains("no line of .gitignore"),
        "{}",
        refused.err
    );
}

/// The standing of each rule by its pattern.
fn standings(person: &Person) -> Vec<(String, String)> {
    let rules = person
        .redshank(&["rules", "--format", "json"])
        .fine()
        .json();
    let row = |rule: &Value| {
        (
            rule["pattern"].as_str().unwrap().to_owned(),
            rule["standing"].as_str().unwrap().to_owned(),
        )
    };
    rules["rules"].as_array().unwrap().iter().map(row).collect()
}

#[test]
fn rules_tell_what_each_comes_to() {
    let nia = Person::with_repository();
    let rules = [
        ("*.log", "works"),
        ("/none/", "catches-nothing"),
        ("/deep/", "misread"),
        ("*.twice", "duplicate"),
        ("*.twice", "works"),
        ("over.dat", "overridden"),
        ("*.dat", "works"),
        ("/shut/", "works"),
        ("!/shut/in.c", "cannot-work"),
        ("held.c", "only-tracked"),
        ("note # why", "misread"),
        ("[open", "impossible"),
        ("!keep.log", "works"),
    ];
    let text: String = rules.iter().map(|(rule, _)| format!("{rule}\n")).collect();
    nia.writes(".gitignore", text);
    for path in [
        "a.log",
        "keep.log",
        "b.twice",
        "over.dat",
        "shut/in.c",
        "held.c",
        "x/deep/y",
    ] {
        nia.writes(path, "1");
    }
    nia.writes("sub/.gitignore", "*\n");
    nia.git(&["add", "-f", "held.c"]);
    let mut found = standings(&nia);
    assert_eq!(
        found.remove(0),
        ("*".to_owned(), "swallows-its-file".to_owned())
    );
    found.reverse();
    let found: Vec<(&str, &str)> = found
        .iter()
        .map(|(rule, standing)| (rule.as_str(), standing.as_str()))
        .collect();
    assert_eq!(found, rules);
    let idle = nia.redshank(&["rules", "--idle"]);
    assert!(
        idle.code == 1 && idle.out.contains("did you mean `note`?"),
        "{}",
        idle.out
    );
    let works = nia.redshank(&["rules", "--format", "json"]).json();
    let log = works["rules"]
        .as_array()
        .unwrap()
        .iter()
        .find(|rule| rule["pattern"] == "*.log")
        .unwrap();
    assert_eq!(
        (&log["files"], &log["size"], &log["line"]),
        (&1.into(), &1.into(), &1.into())
    );
}

#[test]
fn files_that_only_look_like_ignore_files_are_found_wherever_they_lie() {
    let nia = Person::with_repository();
    for path in [
        "a/.gitignore.txt",
        "b/.gitingore",
        "c/.GitIgnore",
        "d/gitignore",
        "e/.gitattributes",
        "f/ignore.md",
    ] {
        nia.writes(path, "");
    }
    nia.writes("g/.gitignore", b"\xff\xfex\0");
    std::fs::create_dir(nia.here().join("h")).unwrap();
    std::os::unix::fs::symlink("../a", nia.here().join("h/.gitignore")).unwrap();
    let rules = nia.redshank(&["rules", "--format", "json"]).fine().json();
    let strays: Vec<&str> = rules["strays"]
        .as_array()
        .unwrap()
        .iter()
        .map(|row| row["path"].as_str().unwrap())
        .collect();
    assert_eq!(
        strays,
        [
            "a/.gitignore.txt",
            "b/.gitingore",
            "c/.GitIgnore",
            "d/gitignore",
            "g/.gitignore",
            "h/.gitignore"
        ]
    );
}

#[test]
fn expectations_are_proven_and_a_failure_says_why() {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "*.log\n");
    nia.writes("src/a.c", "");
    nia.writes("b.log", "");
    let settings = |expect: &str| nia.writes("redshank.toml", format!("# ours\n{expect}"));
    settings(
        "[[expect]]\npath = \"new/x.log\"\nstate = \"ignored\"\nbecause = \"logs\"\n\n[[expect]]\npattern = \"*.c\"\nstate = \"kept\"\n",
    );
    assert!(nia.redshank(&["prove"]).fine().out.contains("2 of 2 hold"));
    nia.writes(".gitignore", "*.log\nsrc/\n");
    let failed = nia.redshank(&["prove"]);
    assert_eq!(failed.code, 1);
    assert!(
        failed.out.contains("src/a.c is ignored") && failed.out.contains(".gitignore:2"),
        "{}",
        failed.out
    );
    let json = nia.redshank(&["prove", "--format", "json"]).json();
    assert_eq!((&json["passed"], &json["failed"]), (&1.into(), &1.into()));
    assert_eq!(json["expectations"][1]["wrong"][0]["path"], "src/a.c");
    let junit = nia.redshank(&["prove", "--format", "junit"]).out;
    assert!(
        junit.contains("<testsuite ")
            && junit.contains("failures=\"1\"")
            && !junit.contains('\u{1b}'),
        "{junit}"
    );
    settings("[[expect]]\nstate = \"ignored\"\n");
    let bad = nia.redshank(&["prove"]);
    assert!(
        bad.code == 2
            && bad.err.contains("line 2")
            && bad.err.contains("either a `path` or a `pattern`"),
        "{}",
        bad.err
    );
    settings("");
    assert!(nia.redshank(&["prove"]).err.contains("--record"));
    assert_eq!(nia.redshank(&["check", "--format", "junit"]).code, 2);
}

#[test]
fn recorded_expectations_hold_and_keep_what_the_settings_held() {
    let nia = Person::with_demo();
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    nia.writes(
        "redshank.toml",
        "# ours\n[limits]\nfile_warning = \"5 MiB\" # small\n",
    );
    nia.redshank(&["prove", "--record", "--write"]).fine();
    let text = String::from_utf8(nia.reads("redshank.toml")).unwrap();
    assert!(text.starts_with("# ours\n[limits]\nfile_warning = \"5 MiB\" # small\n"));
    assert!(text.matches("[[expect]]").count() > 20, "{text}");
    nia.redshank(&["prove"]).fine();
    nia.redshank(&["drop", ".DS_Store", "--write"]).fine();
    assert_eq!(nia.redshank(&["prove"]).code, 1, "a rule less is noticed");
    nia.redshank(&["undo", "--yes"]).fine();
    nia.redshank(&["undo", "--yes"]).fine();
    assert!(nia.reads("redshank.toml").ends_with(b"# small\n"));
}

#[test]
fn try_tests_made_up_paths_and_reads_patterns_from_a_pipe() {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "*.log\n");
    nia.writes("a.log", "");
    assert!(
        nia.redshank(&["try", "a.log"])
            .fine()
            .out
            .contains("covered already by .gitignore, line 1: `*.log`")
    );
    let on = |patterns: &[u8], path: &str| {
        nia.redshank_told(&["try", "-", "-q", "--on", path], patterns)
            .code
    };
    assert_eq!(
        (
            on(b"*.dat\n!keep.dat\n", "new/x.dat"),
            on(b"*.dat\n!keep.dat\n", "keep.dat")
        ),
        (0, 1)
    );
    assert_eq!(nia.reads(".gitignore"), b"*.log\n");
}

#[test]
fn why_tells_what_is_overridden_and_how_an_exception_could_work() {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "*.log\nold.*\n/shut/\n!/shut/keep.c\n");
    let said = nia.redshank(&["why", "old.log"]).fine().out;
    assert!(
        said.contains(".gitignore:2  old.*") && said.contains("overrides .gitignore:1  *.log"),
        "{said}"
    );
    let said = nia.redshank(&["why", "shut/keep.c"]).fine().out;
    assert!(
        said.contains(".gitignore:4  !/shut/keep.c cannot work; `/shut/*` instead of `/shut/`"),
        "{said}"
    );
    nia.writes(".gitignore", "/shut/*\n!/shut/keep.c\n");
    assert_eq!(
        nia.redshank(&["why", "-q", "shut/keep.c"]).code,
        1,
        "the advice works"
    );
    nia.git_says(&["check-ignore", "-q", "shut/keep.c"]);
}

#[test]
fn folders_are_summed_up_and_candidates_kept_below_one() {
    let nia = Person::with_repository();
    for (path, size) in [("a/x", 5), ("a/b/y", 10), ("c/z", 40), ("top", 1)] {
        nia.writes(path, "1".repeat(size));
    }
    let rows = |levels: &str| nia.redshank(&["files", "--tree", levels]).fine().out;
    let words: Vec<String> = rows("2")
        .lines()
        .map(|line| line.split_whitespace().collect::<Vec<_>>().join(" "))
        .collect();
    assert_eq!(
        words,
        ["1 40 B c/", "2 15 B a/", "1 10 B b/", "1 1 B (at the top)"]
    );
    assert_eq!(rows("1").lines().count(), 3);
    let outside = nia.redshank(&["files", "--under", "a", "-z"]);
    assert_eq!(
        (outside.code, outside.bytes.as_slice()),
        (1, &b"c/z\0top\0"[..])
    );
    nia.writes(".gitignore", "/c/\n/top\n/.gitignore\n");
    assert_eq!(nia.redshank(&["files", "--under", "a"]).code, 0);
}

#[test]
fn what_a_rule_would_not_do_is_said_while_it_is_made() {
    let nia = Person::with_repository();
    nia.writes("kept.raw", "1");
    nia.git(&["add", "kept.raw"]);
    nia.writes("new.raw", "1");
    nia.writes("out/a", "1");
    let said = |words: &[&str]| nia.redshank(words).fine().out;
    let tried = said(&["try", "*.raw", "*.nowhere", "out[", "/out\\a"]);
    for part in [
        "`*.nowhere`: matches nothing",
        "`out[`: no path can match",
        "`/out\\a`: backslashes don't separate folders; did you mean `/out/a`?",
    ] {
        assert!(tried.contains(part), "{part} in {tried}");
    }
    assert!(!tried.contains("`*.raw`:"), "{tried}");
    let added = said(&["add", "*.raw"]);
    assert!(
        added.contains("does nothing about 1 file that git tracks"),
        "{added}"
    );
    let of_folder = said(&["add", "--like", "out"]);
    assert!(
        of_folder.contains("/out/") && !of_folder.contains("this file"),
        "{of_folder}"
    );
    let of_nothing = said(&["add", "--like", "later.log"]);
    assert!(of_nothing.contains("is not there yet"), "{of_nothing}");
    let widths = said(&["add", "--like", "new.raw"]);
    assert!(
        widths.contains("1 file without effect: tracked already"),
        "{widths}"
    );
}

#[test]
fn what_is_told_before_a_change_is_what_git_counts_after_it() {
    let nia = Person::with_repository();
    nia.writes("Cargo.toml", "[package]\nname = \"tide\"\n");
    nia.writes("src/main.rs", "fn main() {}\n");
    nia.writes("target/debug/tide", "x");
    let told = nia
        .redshank(&["draft", "--write", "--format", "json"])
        .json();
    let listed = nia.git_lists(&["--others", "--exclude-standard"]);
    assert_eq!(told["after"]["files"], listed.len(), "{listed:?}");
    let size = |path: &String| std::fs::metadata(nia.here().join(path)).unwrap().len();
    assert_eq!(told["after"]["size"], listed.iter().map(size).sum::<u64>());
}

#[test]
fn a_reader_who_leaves_stops_no_change() {
    let nia = Person::with_demo();
    nia.runs_with_redshank("bash", &["-c", "redshank draft --write --yes | head -n 1"])
        .fine();
    let rules = String::from_utf8(nia.reads(".gitignore")).unwrap();
    assert!(rules.contains("# redshank: begin"), "{rules}");
    let said = nia.runs_with_redshank("bash", &["-c", "redshank tidy --apply --yes | head -n 1"]);
    assert_eq!(said.code, 0);
    let list = nia.redshank(&["undo", "--list", "--format", "json"]).json();
    assert_eq!(list["changes"].as_array().unwrap().len(), 2, "{list}");
}
