//! `check --history`: what commits hold, though the tree doesn't any more.

use crate::common::{Person, made_up};
use serde_json::Value;

fn found(person: &Person) -> Vec<Value> {
    let said = person.redshank(&["check", "--history", "--format", "json"]);
    assert!(said.code <= 1, "{}", said.err);
    said.json()["findings"].as_array().unwrap().clone()
}

fn commit(person: &Person, message: &str) -> String {
    person.git(&["add", "--all"]);
    person.git(&["commit", "-qm", message]);
    person.git(&["rev-parse", "HEAD"]).out.trim().to_owned()
}

#[test]
fn a_secret_that_was_taken_out_is_found_with_its_commits() {
    let nia = Person::with_repository();
    let token = made_up(30, 1);
    nia.writes("uplink.py", format!("token = '{token}'\nlevel = 1\n"));
    let first = commit(&nia, "one");
    nia.writes("uplink.py", format!("token = '{token}'\nlevel = 2\n"));
    commit(&nia, "two");
    nia.writes("uplink.py", "level = 3\n");
    commit(&nia, "three");
    assert_eq!(
        nia.redshank(&["check", "--format", "json"]).fine().json()["findings"],
        serde_json::json!([])
    );

    let all = found(&nia);
    assert_eq!(all.len(), 1, "{all:?}");
    let finding = &all[0];
    assert_eq!(
        (&finding["rule"], &finding["path"]),
        (&"secret/password-in-code".into(), &"uplink.py".into())
    );
    assert_eq!(
        (&finding["exposure"], &finding["past"]["commits"]),
        (&"committed".into(), &2.into())
    );
    assert_eq!(finding["past"]["first"], first);
    assert!(!finding.to_string().contains(&token), "{finding}");

    // Pushed from a branch that is gone here, it's on the remote's branch.
    nia.git(&["init", "-q", "--bare", "../hub.git"]);
    nia.git(&["remote", "add", "hub", "../hub.git"]);
    nia.git(&["push", "-q", "hub", "main"]);
    let pushed = &found(&nia)[0];
    assert_eq!(
        (&pushed["exposure"], &pushed["past"]["remotes"]),
        (&"pushed".into(), &serde_json::json!(["hub/main"]))
    );
    assert!(
        pushed["remedy"]
            .as_str()
            .unwrap()
            .contains("revoke it and issue a new one now")
    );
}

#[test]
fn a_large_file_and_a_secret_on_another_branch_are_found_and_what_is_there_still_is_told_once() {
    let nia = Person::with_repository();
    nia.writes("redshank.toml", "[limits]\nfile_warning = \"1 KiB\"\n");
    nia.writes("a.py", format!("token = '{}'\n", made_up(30, 2)));
    commit(&nia, "one");
    nia.git(&["switch", "-qc", "survey"]);
    nia.writes("b.py", format!("token = '{}'\n", made_up(30, 3)));
    nia.writes("depths.bin", vec![b'x'; 2000]);
    commit(&nia, "two");
    nia.git(&["switch", "-q", "main"]);
    let rows: Vec<String> = found(&nia)
        .iter()
        .map(|f| {
            format!(
                "{} {}",
                f["rule"].as_str().unwrap(),
                f["path"].as_str().unwrap()
            )
        })
        .collect();
    assert_eq!(rows.len(), 3, "{rows:?}");
    for wanted in [
        "secret/password-in-code a.py",
        "secret/password-in-code b.py",
        "oversized/file depths.bin",
    ] {
        assert!(rows.contains(&wanted.to_owned()), "{wanted} in {rows:?}");
    }
}

#[test]
fn a_history_of_large_and_many_versions_is_read_to_its_end() {
    let nia = Person::with_repository();
    nia.writes("notes.md", "x");
    commit(&nia, "zero");
    for nth in 0..30 {
        nia.writes(
            "levels.csv",
            format!("{nth}\n{}", "231.2;231.4\n".repeat(100_000)),
        );
        nia.writes("level.txt", format!("{nth}"));
        commit(&nia, "more");
    }
    nia.writes("last.py", format!("token = '{}'\n", made_up(30, 4)));
    commit(&nia, "last");
    std::fs::remove_file(nia.here().join("last.py")).unwrap();
    commit(&nia, "gone");
    assert_eq!(found(&nia).len(), 1);
    // Nothing to look at is fine, too.
    assert_eq!(found(&Person::with_repository()).len(), 0);
}

#[test]
fn a_merge_a_rename_and_odd_names_are_read_too() {
    let nia = Person::with_repository();
    nia.writes(
        "odd \u{e9} name.py",
        format!("token = '{}'\n", made_up(30, 5)),
    );
    commit(&nia, "one");
    nia.git(&["switch", "-qc", "side"]);
    nia.writes("side.py", format!("token = '{}'\n", made_up(30, 6)));
    commit(&nia, "two");
    nia.git(&["switch", "-q", "main"]);
    nia.git(&["mv", "odd \u{e9} name.py", "moved.py"]);
    commit(&nia, "three");
    nia.git(&["merge", "-q", "--no-edit", "side"]);
    nia.git(&["rm", "-q", "moved.py", "side.py"]);
    let last = commit(&nia, "four");
    let all = found(&nia);
    assert_eq!(all.len(), 2, "{all:?}");
    for finding in &all {
        assert_eq!(finding["exposure"], "committed");
        assert_ne!(finding["past"]["first"], last);
        assert!(
            finding["message"]
                .as_str()
                .unwrap()
                .contains("gone from the tree"),
            "{finding}"
        );
    }
    let sarif = nia
        .redshank(&["check", "--history", "--format", "sarif"])
        .json();
    assert_eq!(sarif["runs"][0]["results"].as_array().unwrap().len(), 2);
    assert_eq!(nia.redshank(&["check", "--history", "--staged"]).code, 2);
}
