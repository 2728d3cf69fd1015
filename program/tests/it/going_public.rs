//! What everybody would get, and the commands that take something out of the history: each tried.

use crate::common::{Person, made_up};
use crate::schemas::valid;
use serde_json::{Value, json};

fn commit(person: &Person, message: &str) {
    person.git(&["add", "--all"]);
    person.git(&["commit", "--quiet", "-m", message]);
}

fn checked(nia: &Person, more: &[&str]) -> Vec<Value> {
    let words = [&["check", "--format", "json"], more].concat();
    let said = nia.redshank(&words);
    assert!(said.code <= 1, "{}", said.err);
    valid("check", &said.json());
    said.json()["findings"].as_array().unwrap().clone()
}

fn secrets(nia: &Person) -> Vec<Value> {
    let all = checked(
        nia,
        &["--history", "--class", "secret", "--level", "warning"],
    );
    all.into_iter().collect()
}

/// Runs what is said of the first finding, with what the person does in between.
fn follow(nia: &Person, by_hand: impl Fn(&Person)) {
    let finding = &secrets(nia)[0];
    let commands = finding["commands"].as_array().unwrap();
    assert!(!commands.is_empty(), "{finding}");
    let mut script = "set -e\n".to_owned();
    for command in commands {
        let command = command.as_str().unwrap();
        if command.contains("take it out of") {
            by_hand(nia);
        }
        script += &format!("{command}\n");
    }
    let said = nia.runs("sh", &["-c", &script]);
    assert_eq!(said.code, 0, "{script}\n{}\n{}", said.out, said.err);
}

/// Whether any object of a repository holds a text.
fn holds(nia: &Person, folder: &str, text: &str) -> bool {
    let list = ["-C", folder, "cat-file", "--batch-all-objects", "--batch"];
    nia.git(&list).out.contains(text)
}

#[test]
fn the_commands_of_each_case_take_a_secret_out() {
    let key = made_up(32, 11);
    let with_key = format!("api_key = '{key}'\n");
    let clean = "import os\napi_key = os.environ['KEY']\n";
    let start = || {
        let nia = Person::with_repository();
        nia.git(&["branch", "-M", "main"]);
        nia.writes("README.md", "# Tide\n");
        commit(&nia, "one");
        nia
    };
    let with_hub = |nia: &Person| {
        nia.git(&["init", "--quiet", "--bare", "../hub.git"]);
        nia.git(&["remote", "add", "origin", "../hub.git"]);
        nia.git(&["push", "--quiet", "origin", "--all"]);
        nia.git(&["push", "--quiet", "origin", "--tags"]);
    };
    let correct = |nia: &Person| nia.writes("it's/a b.py", clean);
    let is_gone = |nia: &Person, case: &str| {
        assert_eq!(secrets(nia), Vec::<Value>::new(), "{case}");
        assert!(!holds(nia, ".", &key), "{case}");
        assert_eq!(nia.git(&["status", "--short"]).out, "", "{case}");
    };

    // The last commit, pushed nowhere.
    let nia = start();
    nia.writes("it's/a b.py", &with_key);
    commit(&nia, "two");
    follow(&nia, correct);
    is_gone(&nia, "last");
    assert_eq!(nia.git(&["rev-list", "--count", "HEAD"]).out.trim(), "2");
    assert_eq!(nia.reads("it's/a b.py"), clean.as_bytes());

    // Some commits back, and gone from the file since.
    let nia = start();
    nia.writes("it's/a b.py", &with_key);
    commit(&nia, "two");
    correct(&nia);
    commit(&nia, "three");
    nia.writes("level.py", "print(1)\n");
    commit(&nia, "four");
    follow(&nia, |_| ());
    is_gone(&nia, "back");
    assert_eq!(nia.git(&["show", "HEAD~1:it's/a b.py"]).out, clean);

    // Deleted since, merged, on two branches and under a tag.
    let nia = start();
    nia.git(&["switch", "--quiet", "--create", "side"]);
    nia.writes("it's/a b.py", &with_key);
    commit(&nia, "two");
    nia.git(&["tag", "v1"]);
    nia.git(&["tag", "--annotate", "v1a", "--message", "first"]);
    nia.git(&["switch", "--quiet", "main"]);
    nia.writes("level.py", "print(1)\n");
    commit(&nia, "three");
    nia.git(&["merge", "--quiet", "--no-edit", "side"]);
    nia.git(&["rm", "--quiet", "it's/a b.py"]);
    commit(&nia, "four");
    follow(&nia, |_| ());
    is_gone(&nia, "merged");
    assert!(nia.here().join("level.py").exists());

    // The same, pushed: the remote's branches and tags have it no more.
    let nia = start();
    nia.git(&["switch", "--quiet", "--create", "side"]);
    nia.writes("it's/a b.py", &with_key);
    commit(&nia, "two");
    nia.git(&["tag", "v1"]);
    nia.git(&["switch", "--quiet", "main"]);
    nia.git(&["merge", "--quiet", "side"]);
    with_hub(&nia);
    assert!(
        secrets(&nia)[0]["commands"][0]
            .as_str()
            .unwrap()
            .contains("revoke it first")
    );
    follow(&nia, correct);
    is_gone(&nia, "pushed");
    nia.git(&["clone", "--quiet", "--no-local", "../hub.git", "../fresh"]);
    assert!(!holds(&nia, "../fresh", &key));

    // In a message, of a commit and of a tag.
    let nia = start();
    let said = format!("two\n\npassword = {key}");
    nia.git(&["commit", "--quiet", "--allow-empty", "-m", &said]);
    nia.git(&["commit", "--quiet", "--allow-empty", "-m", "three"]);
    nia.git(&["tag", "--annotate", "v1", "--message", &said]);
    let found = secrets(&nia);
    let places: Vec<&str> = found
        .iter()
        .map(|one| one["path"].as_str().unwrap())
        .collect();
    assert!(
        places.len() == 2 && places[0].starts_with("commit ") && places[1] == "tag v1",
        "{places:?}"
    );
    follow(&nia, |_| ());
    follow(&nia, |_| ());
    is_gone(&nia, "message");
}

#[test]
fn what_a_stranger_would_learn_is_listed_with_its_decision() {
    let nia = Person::with_repository();
    let key = made_up(32, 12);
    nia.writes("src/old.py", format!("api_key = '{key}'\n"));
    nia.writes("vendor/wave/wave.c", "int wave(void);\n");
    nia.writes("vendor/sand/sand.c", "int sand(void);\n");
    nia.writes("vendor/sand/COPYING", "All may use it.\n");
    nia.writes("site.ini", "host = tide.harbour.internal\n");
    nia.writes("compose.yaml", "proxy: http://host.docker.internal:80\n");
    nia.writes("tools/plot.sh", "cd /home/niamh/tide/\n");
    nia.writes("tests/data/plot.sh", "cd /home/user/tide/\n");
    commit(&nia, "one");
    nia.git(&["rm", "--quiet", "src/old.py"]);
    let machine = "--author=Nia <nia@laptop.local>";
    nia.git(&["commit", "--quiet", machine, "-m", "two"]);
    nia.git(&["config", "user.email", "nia@tidewatch.example"]);
    let plain = checked(&nia, &["--history", "--level", "warning"]);
    assert_eq!(plain.len(), 1, "{plain:?}");
    let public = checked(&nia, &["--for", "public"]);
    let told: Vec<Value> = public
        .iter()
        .map(|one| json!([one["rule"], one["path"], one["decision"]]))
        .collect();
    let commit = public
        .iter()
        .find(|one| one["rule"] == "personal/odd-address")
        .unwrap();
    let expected = [
        json!(["secret/password-in-code", "src/old.py", "revoke"]),
        json!(["personal/odd-address", commit["path"], "rewrite"]),
        json!(["personal/home-path", "tools/plot.sh", "rewrite"]),
        json!(["reserved/internal-host", "site.ini", "rewrite"]),
        json!(["needed/copied-licence", "vendor/wave/", "fix"]),
        json!(["needed/licence", "LICENSE", "fix"]),
        json!(["personal/people", ".mailmap", "know"]),
    ];
    for one in &expected {
        assert!(told.contains(one), "{one} is not in {told:#?}");
    }
    assert_eq!(told.len(), expected.len(), "{told:#?}");
    // Its address goes with the commands that are said.
    let commands = commit["commands"].as_array().unwrap().iter();
    let script: Vec<&str> = commands.map(|one| one.as_str().unwrap()).collect();
    let said = nia.runs("sh", &["-ec", &script.join("\n")]);
    assert_eq!(said.code, 0, "{}", said.err);
    let emails = nia.git(&["log", "--all", "--format=%ae %ce"]).out;
    assert!(!emails.contains("laptop"), "{emails}");
    // A copy without the history is clean of what only that has.
    let text = nia.redshank(&["check", "--for", "public"]).out;
    assert!(
        text.contains("to decide before it is public") && text.contains("rehearse --export"),
        "{text}"
    );
}
