//! Cleaning and taking it back.

use crate::common::Person;

/// Everything under the folder but git's own and our journal: path, contents, mode, time.
fn snapshot(person: &Person) -> Vec<(String, Vec<u8>, u32, std::time::SystemTime)> {
    use std::os::unix::fs::PermissionsExt;
    let names = person.lists("candidate,ignored,tracked");
    let mut rows = Vec::new();
    for name in names {
        let found = std::fs::metadata(person.here().join(&name)).unwrap();
        rows.push((
            name.clone(),
            person.reads(&name),
            found.permissions().mode(),
            found.modified().unwrap(),
        ));
    }
    rows
}

#[test]
fn tidy_then_undo_is_the_identity_byte_for_byte() {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "*.bak\n");
    nia.writes("Cargo.toml", "[package]\n");
    nia.writes("target/debug/app", "x");
    nia.writes("keep.rs", "one");
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "-qm", "all of it, too early"]);
    nia.writes("keep.rs", "two");
    nia.git(&["add", "keep.rs"]);
    nia.writes("keep.rs", "three");
    nia.writes("uplink.log", "");
    let (files, index) = (snapshot(&nia), nia.reads(".git/index"));
    nia.redshank(&["tidy"]).fine();
    assert!(
        files == snapshot(&nia) && index == nia.reads(".git/index"),
        "a plan changes nothing"
    );

    let report = nia
        .redshank(&["tidy", "--apply", "--yes", "--format", "json"])
        .fine()
        .json();
    assert_eq!(report["applied"], true);
    assert!(
        nia.here().join("target/debug/app").exists(),
        "it stays on disk"
    );
    assert_eq!(
        nia.lists("tracked"),
        [".gitignore", "Cargo.toml", "keep.rs"]
    );
    assert_eq!(nia.lists("ignored"), ["target/debug/app", "uplink.log"]);
    let staged = nia.git(&["diff", "--cached", "--name-status"]).out;
    assert_eq!(
        staged, "M\tkeep.rs\nD\ttarget/debug/app\n",
        "staged work is still staged, nothing else is"
    );
    assert_eq!(nia.git(&["show", ":keep.rs"]).out, "two");
    nia.agrees_with_git();
    assert!(
        nia.redshank(&["tidy"])
            .fine()
            .out
            .contains("nothing to fix automatically"),
        "a second plan is empty"
    );

    nia.redshank(&["undo", "--yes"]).fine();
    assert!(files == snapshot(&nia), "files are back");
    assert!(index == nia.reads(".git/index"), "the index is back");
    assert_eq!(nia.redshank(&["undo", "--yes"]).code, 2, "once only");
}

#[test]
fn undo_keeps_what_others_did_to_the_index_since() {
    let nia = Person::with_repository();
    nia.writes("uplink.log", "first");
    nia.git(&["add", "."]);
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    nia.writes("later.c", "");
    nia.git(&["add", "later.c"]);
    nia.redshank(&["undo", "--yes"]).fine();
    assert_eq!(nia.lists("tracked"), ["later.c", "uplink.log"]);
    assert_eq!(nia.git(&["show", ":uplink.log"]).out, "first");
    nia.git(&["fsck"]);
}

#[test]
fn undo_refuses_to_lose_an_edit_made_since() {
    let nia = Person::with_repository();
    nia.writes("Cargo.toml", "");
    nia.writes(".gitignore", "mine\n");
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    let edited = [nia.reads(".gitignore"), b"*.new\n".to_vec()].concat();
    nia.writes(".gitignore", &edited);
    let said = nia.redshank(&["undo", "--yes"]);
    assert_eq!(said.code, 2);
    assert!(
        said.err.contains("changed after") && said.err.contains("file-0"),
        "{}",
        said.err
    );
    assert_eq!(nia.reads(".gitignore"), edited);
}

#[test]
fn the_journal_is_private_and_never_tracked() {
    use std::os::unix::fs::PermissionsExt;
    let nia = Person::with_demo();
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    let journal = nia.here().join(".git/redshank/journal/000001");
    let mode = std::fs::metadata(&journal).unwrap().permissions().mode() & 0o777;
    assert_eq!(mode, 0o700, "nobody else gets in");
    assert!(
        nia.lists("candidate,ignored,tracked")
            .iter()
            .all(|path| !path.contains("journal"))
    );
}

#[test]
fn undecided_merges_are_left_alone() {
    let nia = Person::with_repository();
    nia.writes("uplink.log", "base");
    nia.git(&["add", "."]);
    nia.git(&["commit", "-qm", "base"]);
    nia.git(&["checkout", "-qb", "side"]);
    nia.writes("uplink.log", "side");
    nia.git(&["commit", "-qam", "side"]);
    nia.git(&["checkout", "-q", "main"]);
    nia.writes("uplink.log", "main");
    nia.git(&["commit", "-qam", "main"]);
    assert_eq!(nia.git_says(&["merge", "-q", "side"]).code, 1);
    let index = nia.reads(".git/index");
    let said = nia.redshank(&["tidy", "--apply", "--yes"]);
    assert_eq!(said.code, 2);
    assert!(said.err.contains("in conflict"), "{}", said.err);
    assert!(index == nia.reads(".git/index"));
}

#[test]
fn nobody_there_means_no_undo_without_yes() {
    let nia = Person::with_repository();
    nia.writes("Cargo.toml", "");
    nia.redshank(&["draft", "--write"]).fine();
    let said = nia.redshank(&["undo"]);
    assert_eq!(said.code, 2);
    assert!(
        said.err.contains("undo --yes") && nia.here().join(".gitignore").exists(),
        "{}",
        said.err
    );
}

#[test]
fn a_sample_without_values_is_written_beside_an_environment_file_and_taken_back() {
    let nia = Person::with_repository();
    let secret = crate::common::made_up(20, 1);
    nia.writes(
        "gateway/.env",
        format!("# the uplink\nUPLINK_PASSWORD={secret}\nPORT=7\n"),
    );
    nia.git(&["add", "--all"]);
    let report = nia
        .redshank(&["tidy", "--apply", "--yes", "--format", "json"])
        .fine()
        .json();
    assert_eq!(
        nia.reads("gateway/.env.example"),
        b"# the uplink\nUPLINK_PASSWORD=\nPORT=\n"
    );
    assert_eq!(
        nia.lists("candidate"),
        [".gitignore", "gateway/.env.example"]
    );
    assert_eq!(
        (nia.lists("ignored"), nia.lists("tracked")),
        (vec!["gateway/.env".to_owned()], Vec::new())
    );
    assert!(
        report["steps"]
            .as_array()
            .unwrap()
            .iter()
            .any(|step| step["act"] == "sample"),
        "{report}"
    );
    nia.redshank(&["undo", "--yes"]).fine();
    assert!(!nia.here().join("gateway/.env.example").exists());
    // With a sample there already, none is written.
    nia.writes("gateway/.env.sample", "UPLINK_PASSWORD=\n");
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    assert!(!nia.here().join("gateway/.env.example").exists());
}

#[test]
fn only_what_is_chosen_is_mended() {
    let nia = Person::with_repository();
    nia.writes("uplink.log", "x");
    nia.writes("a.o~", "x");
    nia.writes("id_rsa", "x");
    let found = nia.redshank(&["check", "--format", "json"]).json();
    let id = |path: &str| {
        let all = found["findings"].as_array().unwrap();
        all.iter().find(|f| f["path"] == path).unwrap()["id"]
            .as_str()
            .unwrap()
            .to_owned()
    };
    nia.redshank(&["tidy", "--only", "generated", "--apply", "--yes"])
        .fine();
    assert_eq!(nia.lists("ignored"), ["uplink.log"]);
    nia.redshank(&["tidy", "--skip", &id("id_rsa"), "--apply", "--yes"])
        .fine();
    assert_eq!(nia.lists("ignored"), ["a.o~", "uplink.log"]);
    let said = nia.redshank(&["tidy", "--skip", "nothing"]);
    assert_eq!(said.code, 2);
    assert!(said.err.contains("no finding `nothing`"), "{}", said.err);
}

#[test]
fn an_older_change_is_taken_back_unless_a_later_one_stands_in_its_way() {
    let nia = Person::with_repository();
    nia.writes(
        "a.py",
        format!("token = '{}'\n", crate::common::made_up(30, 2)),
    );
    nia.redshank(&["add", "*.raw", "--write"]).fine();
    let found = nia.redshank(&["check", "--format", "json"]).json();
    let id = found["findings"][0]["id"].as_str().unwrap().to_owned();
    nia.redshank(&["accept", &id, "--because", "made up", "--write"])
        .fine();
    nia.redshank(&["add", "*.tmp", "--write"]).fine();
    let listed = nia
        .redshank(&["undo", "--list", "--format", "json"])
        .fine()
        .json();
    let commands: Vec<&str> = listed["changes"]
        .as_array()
        .unwrap()
        .iter()
        .map(|c| c["command"].as_str().unwrap())
        .collect();
    assert_eq!(commands, ["add", "accept", "add"]);
    // The second is alone; the first has the third on top of it.
    nia.redshank(&["undo", "2", "--yes"]).fine();
    assert!(!nia.here().join("redshank.toml").exists());
    let said = nia.redshank(&["undo", "1", "--yes"]);
    assert_eq!(said.code, 2);
    assert!(
        said.err.contains("redshank undo 3") && said.err.contains(".gitignore"),
        "{}",
        said.err
    );
    nia.redshank(&["undo", "3", "--yes"]).fine();
    nia.redshank(&["undo", "1", "--yes"]).fine();
    assert!(!nia.here().join(".gitignore").exists());
    assert_eq!(nia.redshank(&["undo", "1", "--yes"]).code, 2);
    let said = nia.redshank(&["undo", "--list"]).fine();
    assert_eq!(said.out.matches("undone").count(), 3, "{}", said.out);

    nia.redshank(&["add", "*.o", "--write"]).fine();
    assert_eq!(nia.redshank(&["undo", "--forget"]).code, 2);
    nia.redshank(&["undo", "--forget", "--yes"]).fine();
    assert_eq!(
        std::fs::read_dir(nia.here().join(".git/redshank/journal"))
            .unwrap()
            .count(),
        0
    );
    assert_eq!(nia.reads(".gitignore"), b"*.o\n");
    assert_eq!(nia.redshank(&["undo", "--yes"]).code, 2);
}

#[test]
fn a_tidied_demo_has_nothing_left_to_tidy_and_a_second_time_changes_nothing() {
    let nia = Person::with_demo();
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    let (files, index) = (snapshot(&nia), nia.reads(".git/index"));
    let again = nia
        .redshank(&["tidy", "--apply", "--yes", "--format", "json"])
        .fine()
        .json();
    assert_eq!(
        (&again["steps"], &again["applied"]),
        (&serde_json::json!([]), &false.into()),
        "{again}"
    );
    assert!(files == snapshot(&nia) && index == nia.reads(".git/index"));
    let found = nia.redshank(&["check", "--format", "json"]).json();
    let fixable = |f: &serde_json::Value| f["remedy"].as_str().unwrap().ends_with("redshank tidy");
    assert!(
        !found["findings"].as_array().unwrap().iter().any(fixable),
        "{found}"
    );
    // Nothing that was tracked or was there is gone.
    nia.redshank(&["undo", "--yes"]).fine();
    nia.git(&["fsck", "--strict"]);
    assert_eq!(nia.lists("tracked"), ["gateway/uplink-trace.log"]);
}

#[test]
fn one_value_in_two_files_that_are_secret_as_a_whole_is_kept_out_in_both() {
    let nia = Person::with_repository();
    let secret = crate::common::made_up(24, 3);
    for folder in ["gateway", "kiosk"] {
        nia.writes(
            &format!("{folder}/.env"),
            format!("UPLINK_TOKEN={secret}\n"),
        );
    }
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    assert_eq!(nia.lists("ignored"), ["gateway/.env", "kiosk/.env"]);
    assert_eq!(nia.reads("kiosk/.env.example"), b"UPLINK_TOKEN=\n");
    assert_eq!(nia.redshank(&["check", "--class", "secret"]).code, 0);
}
