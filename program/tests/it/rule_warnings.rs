//! Rules and attributes that do harm, or nothing, are reported when they are typed and when they
//! are found.

use crate::common::Person;
use serde_json::Value;

fn findings(person: &Person) -> Vec<Value> {
    let said = person.redshank(&["check", "--level", "note", "--format", "json"]);
    said.json()["findings"].as_array().unwrap().clone()
}

fn web_project() -> Person {
    let nia = Person::with_repository();
    nia.writes("package.json", "{\"name\":\"gauge\"}");
    nia.writes("package-lock.json", "{}");
    nia.writes("main.js", "import { tide } from './lib/tide.js';\n");
    nia.writes("lib/tide.js", "export const tide = 2.31;\n");
    nia.writes(".env.example", "LEVEL=\n");
    nia.writes("readings/.gitkeep", "");
    nia
}

#[test]
fn a_rule_that_takes_work_away_is_reported_at_once() {
    let nia = web_project();
    for (pattern, wanted) in [
        (
            "lib/",
            "takes away 1 source file: lib/tide.js (main.js refers to it)",
        ),
        ("*.js", "takes away 2 source files"),
        (
            "package-lock.json",
            "what a project here needs: package-lock.json",
        ),
        (".env.*", "a sample that others fill in: .env.example"),
        (".gitkeep", "what keeps a folder: readings/.gitkeep"),
    ] {
        for command in [&["try", pattern][..], &["add", pattern]] {
            let said = nia.redshank(command).fine();
            assert!(said.out.contains(wanted), "{command:?}: {}", said.out);
        }
    }
    nia.writes(".gitignore", "lib/\n*.js\n");
    let found = findings(&nia);
    let mut work: Vec<&str> = found
        .iter()
        .filter(|one| one["rule"] == "needed/work")
        .map(|one| one["path"].as_str().unwrap())
        .collect();
    work.sort_unstable();
    assert_eq!(work, ["lib/", "main.js"]);
    // What a compiler made beside its source is none.
    let lev = Person::with_repository();
    lev.writes("tide.ts", "export const tide: number = 2.31;\n");
    lev.writes("tide.js", "export const tide = 2.31;\n");
    lev.writes(".gitignore", "*.js\n");
    assert!(
        findings(&lev).iter().all(|one| one["class"] != "needed"),
        "{:?}",
        findings(&lev)
    );
}

#[test]
fn a_pattern_is_written_so_that_it_means_what_was_typed() {
    let nia = Person::with_repository();
    nia.writes("#notes#", "x");
    nia.writes("tide ", "x");
    nia.redshank(&["add", "#*#", "tide ", "--write", "--yes"])
        .fine();
    assert_eq!(nia.lists("ignored"), ["#notes#", "tide "]);
    for empty in ["", "  "] {
        let said = nia.redshank(&["add", empty, "--write", "--yes"]);
        assert_eq!(said.code, 2, "{}", said.out);
        assert!(said.err.contains("empty pattern"), "{}", said.err);
    }
    let nothing = nia.redshank(&["add", "tide ", "--write", "--yes", "--format", "json"]);
    assert_eq!(nothing.fine().json()["written"], false);
    assert!(
        nia.redshank(&["add", "--like", ""])
            .err
            .contains("empty path")
    );
}

#[test]
fn patterns_that_can_never_match_are_reported_each_for_its_reason() {
    for (pattern, wanted) in [
        ("\"*.log\"", "quotes"),
        ("~/tmp", "expands neither"),
        ("$HOME/tmp", "expands neither"),
        ("../up", "below its ignore file"),
        ("C:\\tmp", "below its ignore file"),
        ("*.{log,tmp}", "no alternatives"),
        ("(log|tmp)", "no alternatives"),
        ("!!keep", "one `!`"),
        ("logs//tide", "two slashes"),
        ("a\rb", "carriage return"),
        ("syntax: glob", "no syntax lines"),
        ("*.psd filter=lfs -text", "a line of attributes"),
        ("<<<<<<< HEAD", "a merge is unfinished"),
    ] {
        let nia = Person::with_repository();
        nia.writes(".gitignore", format!("{pattern}\nx\n"));
        let found = findings(&nia);
        assert_eq!(found.len(), 1, "{pattern}: {found:?}");
        assert_eq!(found[0]["rule"], "rule/impossible", "{pattern}");
        let message = found[0]["message"].as_str().unwrap();
        assert!(message.contains(wanted), "{pattern}: {message}");
    }
    // Where a file is called so, the rule works.
    let nia = Person::with_repository();
    nia.writes("\"a\"", "x");
    nia.writes(".gitignore", "\"a\"\n");
    assert_eq!(findings(&nia).len(), 0);
    nia.writes(".gitattribute", "*.bin -text\n");
    assert_eq!(findings(&nia)[0]["rule"], "rule/stray-file");
}

#[test]
fn conflict_marks_in_the_settings_are_called_that() {
    let nia = Person::with_repository();
    let ours = "visibility = \"private\"\n";
    nia.writes(
        "redshank.toml",
        format!("<<<<<<< HEAD\n{ours}=======\nvisibility = \"public\"\n>>>>>>> side\n"),
    );
    let said = nia.redshank(&["check"]);
    assert_eq!(said.code, 2);
    assert!(said.err.contains("a merge is unfinished"), "{}", said.err);
    nia.writes(
        "redshank.toml",
        format!("visibility = \"{}\"\n", "x".repeat(4 << 20)),
    );
    let said = nia.redshank(&["check"]);
    assert!(said.err.len() < 5000, "{} bytes", said.err.len());
}

#[test]
fn the_general_attribute_comes_first_and_changes_nothing_that_was_declared() {
    let nia = Person::with_repository();
    nia.writes(
        ".gitattributes",
        "fixture.txt -text\n*.skp filter=lfs -text\n*.sh text eol=lf\n",
    );
    nia.writes("data/.gitattributes", "*.csv -text\n");
    let files = [
        "fixture.txt",
        "pier.skp",
        "run.sh",
        "data/tide.csv",
        "free.txt",
    ];
    for file in files {
        nia.writes(file, "a\r\nb\r\n");
    }
    let attributes = || {
        let words = [&["check-attr", "text", "eol", "filter", "--"][..], &files].concat();
        let said = nia.git(&words).out;
        said.lines().map(str::to_owned).collect::<Vec<String>>()
    };
    let before = attributes();
    let said = nia
        .redshank(&["tidy", "--line-endings", "--apply", "--yes"])
        .fine();
    assert!(
        said.out.contains("git stores 1 file with CR LF"),
        "{}",
        said.out
    );
    let after = attributes();
    let changed: Vec<&String> = after.iter().filter(|line| !before.contains(line)).collect();
    assert_eq!(changed, ["free.txt: text: auto"]);
    let again = nia
        .redshank(&["tidy", "--line-endings", "--apply", "--yes"])
        .fine();
    assert!(!again.out.contains("done"), "{}", again.out);
    nia.redshank(&["undo", "--yes"]).fine();
    assert_eq!(attributes(), before);
}

#[test]
fn work_stays_in_until_there_is_storage_for_it_and_what_is_ignored_for_its_size_is_named() {
    let nia = Person::with_repository();
    nia.writes(
        "redshank.toml",
        "[limits]\nfile_warning = 1000\nfile_error = 5000\n",
    );
    nia.writes("harbour.blend", "x".repeat(2000));
    nia.writes("harbour.level", "x".repeat(2000));
    nia.writes("survey.mov", "x".repeat(6000));
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    assert_eq!(
        nia.lists("ignored"),
        ["survey.mov"],
        "only what a host refuses"
    );
    let found = findings(&nia);
    let only_here = found
        .iter()
        .find(|one| one["rule"] == "needed/too-large")
        .unwrap();
    assert_eq!(only_here["path"], "survey.mov");
    assert!(
        only_here["message"]
            .as_str()
            .unwrap()
            .contains("no clone has it")
    );
    let said = nia.redshank(&["rehearse"]);
    assert_eq!(said.code, 1, "{}", said.out);
    assert!(said.out.contains("survey.mov"), "{}", said.out);
}

#[test]
fn a_survey_says_how_many_projects_it_leaves_out() {
    let nia = Person::with_repository();
    for nth in 0..25 {
        nia.writes(
            &format!("tools/t{nth}/Cargo.toml"),
            "[package]\nname = \"t\"\n",
        );
    }
    let said = nia.redshank(&["survey"]).fine();
    assert!(
        said.out.contains("more: redshank survey -v"),
        "{}",
        said.out
    );
    let all = nia.redshank(&["survey", "-v"]).fine();
    assert!(all.out.contains("tools/t24/"), "{}", all.out);
}

#[test]
fn names_of_autotools_that_somebody_wrote_are_not_ignored() {
    let nia = Person::with_repository();
    nia.writes("configure.ac", "AC_INIT([gauge], [1.0])\n");
    nia.writes("Makefile.am", "bin_PROGRAMS = gauge\n");
    nia.writes("Makefile.in", "all:\n\tcc -o gauge gauge.c\n");
    nia.writes("configure", "#! /bin/sh\necho by hand\n");
    nia.writes(
        "aclocal.m4",
        "# generated automatically by aclocal 1.16.5\n",
    );
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    assert_eq!(nia.lists("ignored"), ["aclocal.m4"]);
}

#[test]
fn an_exception_for_a_folder_is_seen_to_let_in_what_is_in_it() {
    let nia = Person::with_repository();
    nia.writes("build/gauge.o", "1");
    nia.writes("src/build/plan.py", "tides = 3\n");
    nia.writes("src/build/deep/more.py", "tides = 4\n");
    nia.writes("old/build/keep.py", "tides = 5\n");
    nia.writes(
        ".gitignore",
        "build/\n!/src/build/\n!/old/build/\n/old/\n!/docs/build/\n",
    );
    let usage = nia.redshank(&["rules", "--format", "json"]).json();
    let rules: Vec<(&str, u64)> = usage["rules"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| {
            (
                one["pattern"].as_str().unwrap(),
                one["files"].as_u64().unwrap(),
            )
        })
        .collect();
    let of = |pattern: &str| rules.iter().find(|(one, _)| *one == pattern).unwrap().1;
    assert_eq!(of("!/src/build/"), 2, "{usage}");
    assert_eq!(of("!/docs/build/"), 0);
    // In a folder that is ignored as a whole, it can't.
    assert_eq!(of("!/old/build/"), 0);
    let said = nia.redshank(&["why", "src/build/deep/more.py"]).out;
    let wanted = ".gitignore:2  !/src/build/ re-includes src/build/, which .gitignore:1  build/ would ignore";
    assert!(said.contains(wanted), "{said}");
    assert!(!said.contains("nearly"), "{said}");
    // What seems to do nothing is taken out where rules are made shorter: this isn't.
    nia.redshank(&["rules", "--shorten", "--write", "--yes"])
        .fine();
    assert!(
        nia.lists("candidate")
            .contains(&"src/build/plan.py".to_owned())
    );
    nia.agrees_with_git();
}

#[test]
fn what_is_beside_its_source_is_made_of_it_however_many_are_called_so() {
    let nia = Person::with_repository();
    for number in 0..40 {
        nia.writes(
            &format!("report-{number:02}/tides.tex"),
            "\\documentclass{article}\n",
        );
        nia.writes(&format!("report-{number:02}/tides.aux"), "\\relax\n");
    }
    let said = nia.redshank(&["files", "--origin=generated"]).fine().out;
    for number in 0..40 {
        let source = format!("report-{number:02}/tides.tex");
        assert!(said.contains(&source), "{source} in {said}");
    }
}
