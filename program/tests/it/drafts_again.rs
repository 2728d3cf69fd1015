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
