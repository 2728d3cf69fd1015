//! A draft on blocks that are there: what is asked for happens, and what moved goes along.

use crate::common::Person;

fn rules(person: &Person) -> String {
    String::from_utf8(person.reads(".gitignore")).unwrap()
}

#[test]
fn a_variant_and_an_explanation_change_the_block_that_is_there() {
    let nia = Person::with_repository();
    nia.writes("Assets/a.cs", "class A {}\n");
    nia.writes(
        "ProjectSettings/ProjectVersion.txt",
        "m_EditorVersion: 6000.0.1f1\n",
    );
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    let before = rules(&nia);
    nia.redshank(&["draft", "--variant", "unity/public", "--write", "--yes"])
        .fine();
    let public = rules(&nia);
    assert_ne!(public, before, "{public}");
    let again = nia.redshank(&["draft", "--write", "--yes"]).fine();
    assert!(again.out.contains("nothing to write"), "{}", again.out);
    let lines = |text: &str| text.lines().filter(|line| line.starts_with("# ")).count();
    nia.redshank(&["draft", "--explain", "none", "--write", "--yes"])
        .fine();
    assert!(lines(&rules(&nia)) < lines(&public), "{}", rules(&nia));
}

#[test]
fn a_layout_moves_the_blocks_that_are_there_and_keeps_what_was_taken_out() {
    let nia = Person::with_repository();
    nia.writes("web/package.json", "{\"name\":\"gauge\"}");
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    let text = rules(&nia)
        .replace("npm-debug.log*\n", "")
        .replace("# redshank: end", "mine/\n# redshank: end");
    nia.writes(".gitignore", &text);
    nia.redshank(&["draft", "--layout", "folders", "--write", "--yes"])
        .fine();
    let top = rules(&nia);
    assert!(
        !top.contains("node_modules") && top.contains("mine/"),
        "{top}"
    );
    let inner = String::from_utf8(nia.reads("web/.gitignore")).unwrap();
    assert!(
        inner.contains("node_modules/") && !inner.contains("npm-debug"),
        "{inner}"
    );
}

#[test]
fn the_block_of_a_folder_that_is_gone_is_named_and_refreshed_away() {
    let nia = Person::with_repository();
    nia.writes("gauge/Cargo.toml", "[package]\nname = \"gauge\"\n");
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    assert!(rules(&nia).contains("/gauge/target/"), "{}", rules(&nia));
    std::fs::rename(nia.here().join("gauge"), nia.here().join("station")).unwrap();
    let said = nia.redshank(&["draft"]).fine();
    assert!(said.out.contains("the folder of"), "{}", said.out);
    let refreshed = nia.redshank(&["draft", "--refresh", "--write", "--yes"]);
    // Its rules go with the folder, not because a template dropped them.
    let said = refreshed.fine().out;
    assert!(
        said.contains("is gone, and its block goes") && !said.contains("no longer"),
        "{said}"
    );
    let text = rules(&nia);
    assert!(
        !text.contains("/gauge/") && text.contains("/station/target/"),
        "{text}"
    );
}

#[test]
fn two_branches_that_both_drafted_are_put_together_by_a_draft() {
    let nia = Person::with_repository();
    nia.writes("README.md", "tides\n");
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "-qm", "one"]);
    for (branch, file, text) in [
        ("web", "web/package.json", "{\"name\":\"gauge\"}"),
        ("tool", "tool/Cargo.toml", "[package]\nname = \"gauge\"\n"),
    ] {
        nia.git(&["switch", "-qc", branch, "main"]);
        nia.writes(file, text);
        nia.redshank(&["draft", "--write", "--yes"]).fine();
        nia.git(&["add", "--all"]);
        nia.git(&["commit", "-qm", branch]);
    }
    assert_ne!(
        nia.git_says(&["merge", "web"]).code,
        0,
        "both wrote at one place"
    );
    let kept: Vec<String> = rules(&nia)
        .lines()
        .filter(|line| {
            !["<<<<<<<", "=======", ">>>>>>>"]
                .iter()
                .any(|mark| line.starts_with(mark))
        })
        .map(|line| format!("{line}\n"))
        .collect();
    nia.writes(".gitignore", kept.concat());
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    let text = rules(&nia);
    assert!(text.contains("node") && text.contains("rust"), "{text}");
    let again = nia.redshank(&["draft", "--write", "--yes"]).fine();
    assert!(again.out.contains("nothing to write"), "{}", again.out);
}

#[test]
fn templates_have_other_names_and_few_letters_are_a_word() {
    let nia = Person::with_repository();
    let listed = nia
        .redshank(&["templates", "js", "--format", "json"])
        .fine()
        .json();
    let listed = listed.as_array().unwrap();
    assert!(listed.iter().any(|one| one["name"] == "node"), "{listed:?}");
    assert!(listed.len() < 15, "{} of them", listed.len());
    for (typed, name) in [
        ("intellij", "jetbrains"),
        ("c#", "dotnet"),
        ("OSX", "macos"),
    ] {
        let said = nia.redshank(&["draft", typed, "--write", "--yes"]).fine();
        assert!(rules(&nia).contains(name), "{typed}: {}", said.out);
    }
}

#[test]
fn rules_wait_for_a_folder_to_come() {
    let nia = Person::with_repository();
    nia.writes("tools/a.txt", "x");
    let text = |path: &str| String::from_utf8(nia.reads(path)).unwrap();
    let said = nia
        .redshank(&["draft", "unity@Game", "--write", "--yes"])
        .fine();
    assert!(said.out.contains("Game/ isn't there yet"), "{}", said.out);
    assert!(text(".gitignore").contains("/Game/[Ll]ibrary/"));
    // Not there, and not left behind.
    let again = nia
        .redshank(&["draft", "--refresh", "--write", "--yes"])
        .fine();
    assert!(again.out.contains("nothing to write"), "{}", again.out);
    let mistyped = nia.redshank(&["draft", "unity@tool", "--write", "--yes"]);
    assert_eq!(mistyped.code, 2, "{}", mistyped.out);
    nia.writes("Game/Library/x", "");
    assert_eq!(nia.lists("ignored"), ["Game/Library/x"]);
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    assert!(!text("redshank.toml").contains("coming"), "it came");
    std::fs::remove_dir_all(nia.here().join("Game")).unwrap();
    let said = nia.redshank(&["draft"]).fine();
    assert!(said.out.contains("is gone"), "{}", said.out);
}

#[test]
fn an_old_file_gets_shorter_with_the_same_verdicts() {
    let nia = Person::with_repository();
    nia.writes("Cargo.toml", "[package]\nname = \"gauge\"\n");
    nia.writes("logs/a.log", "");
    nia.writes("target/debug/x", "");
    nia.git(&["add", "Cargo.toml"]).fine();
    nia.git(&["commit", "--quiet", "--message", "gauge"]).fine();
    // Once tracked, and gone: the rule for it is no stranger's.
    nia.writes("gauge.tfstate", "{}");
    nia.git(&["add", "gauge.tfstate"]).fine();
    nia.git(&["commit", "--quiet", "--message", "state"]).fine();
    nia.git(&["rm", "--quiet", "gauge.tfstate"]).fine();
    nia.git(&["commit", "--quiet", "--message", "no state"])
        .fine();
    let file = "# logs\n*.log\n\n# old projects\n__pycache__/\n/.gradle/\n\n# built\n/target/\n\
                target/\n.env\n*.tfstate\n*.log\n";
    nia.writes(".gitignore", file);
    let before = nia.lists("ignored");
    let shown = nia.redshank(&["rules", "--shorten"]).fine();
    assert!(shown.out.contains("proven:"), "{}", shown.out);
    assert_eq!(nia.reads(".gitignore"), file.as_bytes());
    nia.redshank(&["rules", "--shorten", "--write", "--yes"])
        .fine();
    let after = String::from_utf8(nia.reads(".gitignore")).unwrap();
    assert_eq!(after, "# built\ntarget/\n.env\n*.tfstate\n*.log\n");
    assert_eq!(nia.lists("ignored"), before);
    let again = nia.redshank(&["rules", "--shorten"]).fine();
    assert!(again.out.contains("nothing to write"), "{}", again.out);
    nia.redshank(&["undo", "--yes"]).fine();
    assert_eq!(nia.reads(".gitignore"), file.as_bytes());
}

#[test]
fn many_rules_become_one_only_where_no_verdict_changes() {
    let nia = Person::with_repository();
    let file = "/packages/a/lib/\n/packages/b/lib/\n/packages/c/lib/\nspring.raw\nautumn.raw\n\
                winter.raw\n";
    nia.writes(".gitignore", file);
    nia.writes("spring.raw", "");
    nia.writes("packages/a/lib/made.js", "");
    nia.writes("packages/d/lib/written.js", "");
    let before = nia.lists("ignored");
    let plain = nia.redshank(&["rules", "--shorten"]).fine();
    assert!(plain.out.contains("nothing to write"), "{}", plain.out);
    nia.redshank(&["rules", "--shorten", "--merge", "--write", "--yes"])
        .fine();
    let after = String::from_utf8(nia.reads(".gitignore")).unwrap();
    let expected = "/packages/a/lib/\n/packages/b/lib/\n/packages/c/lib/\n*.raw\n";
    assert_eq!((after.as_str(), nia.lists("ignored")), (expected, before));
}

#[test]
fn what_was_written_for_a_folder_goes_with_it_once_it_was_committed() {
    let nia = Person::with_repository();
    nia.writes("README.md", "# Reef\n");
    nia.redshank(&["draft", "unity@Game", "--attributes", "--write", "--yes"])
        .fine();
    let attributes = || String::from_utf8(nia.reads(".gitattributes")).unwrap();
    let rules = || String::from_utf8(nia.reads(".gitignore")).unwrap();
    assert!(attributes().contains("\n/Game/**/*.meta text eol=lf\n"));
    // A folder to come isn't gone.
    nia.redshank(&["draft", "--refresh", "--write", "--yes"])
        .fine();
    assert!(rules().contains("/Game/") && attributes().contains("/Game/"));
    nia.writes(
        "Game/ProjectSettings/ProjectVersion.txt",
        "m_EditorVersion: 6000.0\n",
    );
    nia.writes("Game/Assets/A.cs", "class A {}\n");
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "--quiet", "-m", "the game"]);
    nia.git(&["mv", "Game", "Reef"]);
    let survey = nia.redshank(&["survey"]).fine();
    assert!(
        survey.out.contains("redshank draft --refresh"),
        "{}",
        survey.out
    );
    nia.redshank(&["draft", "--refresh", "--write", "--yes"])
        .fine();
    assert!(
        rules().contains("/Reef/") && !rules().contains("/Game/"),
        "{}",
        rules()
    );
    assert!(attributes().contains("\n/Reef/**/*.meta text eol=lf\n"));
    assert!(!attributes().contains("/Game/"), "{}", attributes());
    let again = nia.redshank(&["draft", "--refresh"]).fine();
    assert!(again.out.contains("nothing to write"), "{}", again.out);
}
