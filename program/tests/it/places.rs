//! Where the program works: no repository, no commit, commits, sub-folders, linked working trees;
//! and whose rules count.

use crate::common::Person;

#[test]
fn in_a_folder_that_is_no_repository_it_looks_and_says_what_to_do() {
    let nia = Person::new();
    nia.writes("app/Cargo.toml", "[package]\n");
    nia.writes("app/target/debug/app", "x");
    let survey = nia.redshank(&["survey"]).fine();
    assert!(
        survey.out.contains("not a repository yet") && survey.out.contains("git init"),
        "{}",
        survey.out
    );
    assert_eq!(
        nia.lists("candidate"),
        ["app/Cargo.toml", "app/target/debug/app"]
    );
    for command in [&["tidy", "--apply", "--yes"][..], &["undo", "--yes"]] {
        let said = nia.redshank(command);
        assert_eq!(said.code, 2);
        assert!(said.err.contains("git init"), "{}", said.err);
    }
    assert!(
        nia.redshank(&["draft", "--write", "--yes"])
            .fine()
            .out
            .contains("deleting the new lines")
    );
    assert_eq!(nia.lists("candidate"), [".gitignore", "app/Cargo.toml"]);
    let drafted = nia.reads(".gitignore");
    let refused = nia.redshank(&["drop", "/app/target/", "--write", "--yes"]);
    assert!(
        refused.code == 2 && refused.err.contains("git init"),
        "no way back, no taking out: {}",
        refused.err
    );
    assert_eq!(nia.reads(".gitignore"), drafted);
    nia.git(&["init", "-q"]);
    nia.agrees_with_git();
}

#[test]
fn from_a_sub_folder_paths_are_relative_to_it() {
    let mut nia = Person::with_repository();
    nia.writes(".gitignore", "/north/build/\n*.tmp\n");
    nia.writes("north/build/a", "");
    nia.writes("north/level.c", "");
    nia.writes("south/x.tmp", "");
    nia.goes_to("north");
    nia.agrees_with_git();
    assert_eq!(nia.lists("candidate"), ["level.c"]);
    let said = nia
        .redshank(&["why", "build/a", "../south/x.tmp", "--format", "jsonl"])
        .fine();
    let rules: Vec<(String, u64)> = said
        .out
        .lines()
        .map(|line| serde_json::from_str::<serde_json::Value>(line).unwrap())
        .map(|row| {
            (
                row["rule"]["source"].as_str().unwrap().to_owned(),
                row["rule"]["line"].as_u64().unwrap(),
            )
        })
        .collect();
    assert_eq!(
        rules,
        [(".gitignore".to_owned(), 1), (".gitignore".to_owned(), 2)]
    );
    nia.redshank(&["draft", "rust@.", "--write", "--yes"])
        .fine();
    nia.goes_to("..");
    assert!(
        String::from_utf8(nia.reads(".gitignore"))
            .unwrap()
            .contains("\n/north/target/\n")
    );
}

#[test]
fn a_linked_working_tree_has_the_clones_rules_and_a_journal_of_its_own() {
    let mut nia = Person::with_repository();
    nia.writes("readme", "tide");
    nia.git(&["add", "."]);
    nia.git(&["commit", "-qm", "first"]);
    nia.writes(".git/info/exclude", "*.tmp\n");
    nia.git(&["worktree", "add", "-q", "../linked"]);
    nia.goes_to("../linked");
    nia.writes("a.tmp", "");
    nia.writes("uplink.log", "");
    nia.git(&["add", "uplink.log"]);
    nia.agrees_with_git();
    let index = nia
        .git(&["rev-parse", "--git-path", "index"])
        .out
        .trim()
        .to_owned();
    let before = nia.reads(&index);
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    assert_eq!(nia.lists("tracked"), ["readme"]);
    nia.redshank(&["undo", "--yes"]).fine();
    assert!(
        before == nia.reads(&index),
        "the index is back byte for byte"
    );
    assert!(!nia.here().join(".gitignore").exists());
}

#[test]
fn personal_rules_count_from_the_setting_and_from_their_default_place() {
    let nia = Person::with_repository();
    nia.writes("a.swp", "");
    nia.writes("b.bak", "");
    nia.writes("../home/.config/git/ignore", "*.swp\n");
    nia.agrees_with_git();
    assert_eq!(nia.lists("ignored"), ["a.swp"]);
    nia.writes("../home/mine", "*.bak\n");
    nia.git(&["config", "--global", "core.excludesFile", "~/mine"]);
    nia.agrees_with_git();
    assert_eq!(nia.lists("ignored"), ["b.bak"]);
    let row = nia
        .redshank(&["why", "b.bak", "--format", "json"])
        .fine()
        .json();
    let theirs = nia.git(&["check-ignore", "--no-index", "-v", "b.bak"]).out;
    assert!(
        theirs.starts_with(row[0]["rule"]["source"].as_str().unwrap()),
        "{theirs} {row}"
    );
}

#[test]
fn nested_repositories_submodules_and_odd_files_are_listed_as_git_does() {
    let nia = Person::with_repository();
    nia.git(&["init", "-q", "vendor/pump"]);
    nia.writes("vendor/pump/x.c", "");
    nia.writes("half/.git/note", "not a repository");
    nia.writes("half/y.c", "");
    nia.git(&["init", "-q", "out/inner"]);
    nia.writes(".gitignore", "out/\n");
    std::os::unix::fs::symlink("nowhere", nia.here().join("dangling")).unwrap();
    std::os::unix::fs::symlink("..", nia.here().join("loop")).unwrap();
    let fifo = nia.here().join("pipe");
    assert!(
        std::process::Command::new("mkfifo")
            .arg(&fifo)
            .status()
            .unwrap()
            .success()
    );
    let _socket = std::os::unix::net::UnixListener::bind(nia.here().join("socket")).unwrap();
    nia.agrees_with_git();
    assert_eq!(
        nia.lists("candidate"),
        [".gitignore", "dangling", "half/y.c", "loop", "vendor/pump/"]
    );
    let found = nia.redshank(&["check", "--format", "jsonl"]);
    let rows: Vec<serde_json::Value> = found
        .out
        .lines()
        .map(|line| serde_json::from_str(line).unwrap())
        .collect();
    let rules: Vec<&str> = rows
        .iter()
        .map(|row| row["rule"].as_str().unwrap())
        .collect();
    assert_eq!(
        rules,
        [
            "needed/broken-link",
            "needed/link-outside",
            "needed/nested-repository"
        ]
    );
    nia.redshank(&["survey"]).fine();
}

#[test]
fn case_is_folded_where_git_is_told_to() {
    let nia = Person::with_repository();
    nia.git(&["config", "core.ignoreCase", "true"]);
    nia.writes(".gitignore", "*.LOG\n/Build/\n");
    nia.writes("a.log", "");
    nia.writes("build/x", "");
    nia.agrees_with_git();
    assert_eq!(nia.lists("ignored"), ["a.log", "build/x"]);
}

#[test]
fn submodules_are_left_to_themselves() {
    let nia = Person::with_repository();
    nia.git(&["init", "-q", "-b", "main", "../pump"]);
    nia.writes("../pump/p.c", "");
    nia.writes("../pump/.gitignore", "*.log\n");
    nia.git(&["-C", "../pump", "add", "."]);
    nia.git(&["-C", "../pump", "commit", "-qm", "one"]);
    nia.git(&[
        "-c",
        "protocol.file.allow=always",
        "submodule",
        "--quiet",
        "add",
        "../pump",
        "vendor/pump",
    ]);
    nia.writes("vendor/pump/new.c", "");
    nia.writes("vendor/other.c", "");
    nia.agrees_with_git();
    assert_eq!(nia.lists("tracked"), [".gitmodules", "vendor/pump"]);
    assert_eq!(nia.lists("candidate"), ["vendor/other.c"]);
}

#[test]
fn variables_of_git_count() {
    let mut nia = Person::with_repository();
    nia.writes(".git/info/exclude", "*.log\n");
    nia.writes("a.log", "");
    nia.writes("a.c", "");
    nia.git(&["add", "a.c"]);
    std::fs::rename(nia.here().join(".git"), nia.here().join("../kept.git")).unwrap();
    nia.sets("GIT_DIR", nia.here().join("../kept.git"));
    nia.sets("GIT_WORK_TREE", nia.here().to_owned());
    nia.agrees_with_git();
    assert_eq!(
        (nia.lists("tracked"), nia.lists("ignored")),
        (vec!["a.c".to_owned()], vec!["a.log".to_owned()])
    );
    nia.sets("GIT_INDEX_FILE", nia.here().join("../other-index"));
    nia.agrees_with_git();
    assert_eq!(nia.lists("candidate"), ["a.c"]);
    nia.sets("XDG_CONFIG_HOME", nia.home().join("elsewhere"));
    nia.writes("../home/elsewhere/git/ignore", "*.c\n");
    nia.agrees_with_git();
    assert_eq!(nia.lists("candidate"), Vec::<String>::new());
}

#[test]
fn files_kept_off_the_disk_on_purpose_are_tracked_all_the_same() {
    let nia = Person::with_repository();
    for path in ["a/x", "b/y", "top"] {
        nia.writes(path, "1");
    }
    nia.git(&["add", "."]);
    nia.git(&["commit", "-qm", "one"]);
    nia.git(&["sparse-checkout", "set", "--cone", "--sparse-index", "a"]);
    assert!(!nia.here().join("b/y").exists());
    nia.agrees_with_git();
    nia.redshank(&["check"]).fine();
    nia.redshank(&["survey"]).fine();
}

#[test]
fn an_ignore_file_kept_off_the_disk_counts_all_the_same() {
    let nia = Person::with_repository();
    for (path, contents) in [
        ("a/x", "1"),
        ("b/.gitignore", "*.raw\n"),
        ("c/.gitignore", "*.log\n"),
    ] {
        nia.writes(path, contents);
    }
    nia.git(&["add", "."]);
    nia.git(&["commit", "-qm", "one"]);
    nia.git(&["sparse-checkout", "set", "--cone", "a"]);
    assert!(!nia.here().join("b").exists());
    nia.writes("b/day.raw", "");
    nia.writes("b/day.csv", "");
    // Without a sparse checkout, too; and a link in its place is none.
    nia.git(&["sparse-checkout", "disable"]);
    nia.git(&["update-index", "--skip-worktree", "b/.gitignore"]);
    nia.git(&["update-index", "--skip-worktree", "c/.gitignore"]);
    std::fs::remove_file(nia.here().join("b/.gitignore")).unwrap();
    std::fs::remove_file(nia.here().join("c/.gitignore")).unwrap();
    std::os::unix::fs::symlink("nowhere", nia.here().join("c/.gitignore")).unwrap();
    nia.writes("c/uplink.log", "");
    nia.agrees_with_git();
    assert_eq!(nia.lists("ignored"), ["b/day.raw", "c/uplink.log"]);
    let why = nia.redshank(&["why", "b/day.raw"]).fine();
    assert!(why.out.contains("b/.gitignore:1  *.raw"), "{}", why.out);
}

#[test]
fn rules_end_at_the_border_of_another_repository() {
    let nia = Person::with_repository();
    nia.writes("vendor/.gitignore", "pump/\n!pump/keep\n*.log\n");
    nia.git(&["init", "-q", "vendor/pump"]);
    nia.writes("vendor/pump/.gitignore", "*\n");
    nia.writes("vendor/pump/a.c", "");
    nia.git(&["init", "-q", "vendor/gauge"]);
    nia.writes("vendor/gauge/.gitignore", "*.c\n");
    nia.writes("vendor/gauge/a.c", "");
    nia.writes("vendor/b.c", "");
    nia.agrees_with_git();
    assert_eq!(
        nia.lists("candidate"),
        ["vendor/.gitignore", "vendor/b.c", "vendor/gauge/"]
    );
}

#[test]
fn references_in_tables_and_a_clone_without_its_contents_are_read_as_git_does() {
    let mut nia = Person::with_repository();
    nia.writes(".gitignore", "*.raw\n");
    nia.writes("station/level.c", "int level;\n");
    nia.git(&["add", "."]);
    nia.git(&["commit", "-qm", "one"]);
    nia.git(&["config", "uploadpack.allowFilter", "true"]);
    let from = format!("file://{}", nia.here().display());
    let clone = ["clone", "-q", "--filter=blob:none", "--no-checkout", &from];
    nia.git(&[&clone[..], &["../partial"]].concat());
    nia.git(&["init", "-q", "--ref-format=reftable", "../tables"]);
    nia.goes_to("../partial");
    nia.git(&["read-tree", "HEAD"]);
    nia.git(&["update-index", "--skip-worktree", ".gitignore"]);
    nia.writes("station/day.raw", "");
    // git would go and fetch the rules; nothing is fetched here, and they are said to be missing.
    assert_eq!(nia.lists("tracked"), [".gitignore", "station/level.c"]);
    let listed = nia.redshank(&["files"]).fine();
    assert!(
        listed.err.contains(".gitignore: git has no contents here"),
        "{}",
        listed.err
    );
    nia.redshank(&["check"]);
    nia.goes_to("../tables");
    nia.writes(".gitignore", "*.raw\n");
    nia.writes("day.raw", "");
    nia.writes("level.c", "");
    nia.git(&["add", "level.c"]);
    nia.git(&["commit", "-qm", "one"]);
    nia.agrees_with_git();
    nia.redshank(&["check"]).fine();
}

#[test]
fn the_top_and_gits_own_folder_are_answered_as_git_does() {
    let nia = Person::with_repository();
    let asked = [".", "./", ".git/config", "gauge/.git", "a.c"];
    for rules in ["*.log\n", "*\n", "/*\n*/\n", "!*\n", "**\n", "?\n[a]\n/\n"] {
        nia.writes(".gitignore", rules);
        let words = ["check-ignore", "--no-index", "-v", "-n"];
        let theirs = nia.git_says(&[&words[..], &asked].concat()).out;
        let ours = nia.redshank(&[&["why", "--format", "jsonl"][..], &asked].concat());
        for ((their, our), path) in theirs.lines().zip(ours.fine().out.lines()).zip(asked) {
            let our: serde_json::Value = serde_json::from_str(our).unwrap();
            let rule = &our["rule"];
            let line = rule["line"].as_u64();
            let told = line.map_or("::".to_owned(), |line| {
                format!(".gitignore:{line}:{}", rule["pattern"].as_str().unwrap())
            });
            assert_eq!(their, format!("{told}\t{path}"), "{rules:?}");
            let is_out = path.contains(".git") || rule["negated"] == false;
            let verdict = if is_out { "ignored" } else { "candidate" };
            assert_eq!(our["verdict"], verdict, "{rules:?} {path}");
        }
    }
    nia.writes(".gitignore", "*.log\n");
    let said = nia.redshank(&["why", ".", ".git/config"]).fine().out;
    assert_eq!(
        said,
        ". is the top folder itself: git never ignores it\n\
         .git/config is git's own: no commit ever takes it\n"
    );
}
