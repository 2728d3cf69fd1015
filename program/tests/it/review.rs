//! A change of rules by other hands: what is staged, what comes in, what a merge makes of it; and
//! what the last one made.

use crate::common::Person;
use crate::schemas::{holds_to_sarif, valid};
use serde_json::{Value, json};

fn commit(person: &Person, message: &str) {
    person.git(&["add", "--all"]);
    person.git(&["commit", "--quiet", "-m", message]);
}

/// Two people with clones of one repository: who is here, and who is in the folder beside.
fn team() -> Person {
    let mut nia = Person::with_repository();
    nia.git(&["branch", "-M", "main"]);
    nia.writes(".gitignore", "*.log\n*.tmp\n");
    nia.writes("src/level.py", "print(1)\n");
    let kept = "[[expect]]\npath = \"src/level.py\"\nstate = \"kept\"\n\n";
    let ignored = "[[expect]]\npath = \"a.log\"\nstate = \"ignored\"\n";
    nia.writes("redshank.toml", format!("{kept}{ignored}"));
    commit(&nia, "one");
    nia.git(&["init", "--quiet", "--bare", "../hub.git"]);
    nia.git(&["remote", "add", "origin", "../hub.git"]);
    nia.git(&["push", "--quiet", "--set-upstream", "origin", "main"]);
    nia.git(&[
        "clone",
        "--quiet",
        "--branch",
        "main",
        "../hub.git",
        "../ola",
    ]);
    // Ola's change.
    nia.goes_to("../ola");
    nia.writes(".gitignore", "*.log\nsrc/\n*.raw\n*.never\n");
    nia.writes(".gitattributes", "*.py text eol=lf\n");
    let accepted = "[[accept]]\nfinding = \"0123456789ab\"\nrule = \"secret/password-in-code\"\npath \
                    = \"src/level.py\"\nbecause = \"made up\"\n";
    nia.writes("redshank.toml", format!("{kept}{accepted}"));
    commit(&nia, "rules");
    nia.git(&["push", "--quiet"]);
    nia.goes_to("../work");
    nia
}

fn review(nia: &Person, more: &[&str]) -> (i32, Value) {
    let words = [&["review", "--format", "json"], more].concat();
    let said = nia.redshank(&words);
    let document = said.json();
    valid("review", &document);
    (said.code, document)
}

#[test]
fn what_comes_in_is_shown_before_it_does() {
    let nia = team();
    nia.writes("b.raw", "x\n");
    nia.writes("c.tmp", "x\n");
    // Nothing was fetched yet.
    let (code, none) = review(&nia, &["--incoming"]);
    assert_eq!((code, &none["changed"]), (0, &json!([])));
    nia.git(&["fetch", "--quiet"]);
    let (code, incoming) = review(&nia, &["--incoming"]);
    assert_eq!(code, 1);
    assert_eq!(incoming["after"], "merge");
    assert_eq!(incoming["changed"], json!([".gitignore"]));
    assert_eq!(incoming["changed_attributes"], json!([".gitattributes"]));
    assert_eq!(incoming["changed_settings"], json!(["redshank.toml"]));
    assert_eq!(incoming["ignored"], json!(["b.raw", "src/level.py"]));
    assert_eq!(incoming["tracked"], json!(["src/level.py"]));
    assert_eq!(incoming["included"], json!(["c.tmp"]));
    let rules = |change: &str| -> Vec<Value> {
        let rules = incoming["rules"].as_array().unwrap().iter();
        let of_kind = rules.filter(|rule| rule["change"] == change);
        of_kind
            .map(|rule| json!([rule["pattern"], rule["before"], rule["after"]]))
            .collect()
    };
    let new = [
        json!(["src/", 0, 1]),
        json!(["*.raw", 0, 1]),
        json!(["*.never", 0, 0]),
    ];
    assert_eq!(rules("new"), new);
    assert_eq!(rules("gone"), [json!(["*.tmp", 1, 0])]);
    assert_eq!(incoming["attributes"][0]["attribute"], "eol");
    assert_eq!(incoming["dropped"][0]["subject"], "a.log");
    assert_eq!(incoming["accepted"][0]["finding"], "0123456789ab");
    // The tracked file keeps its state whatever the rules say, so the expectation holds.
    assert_eq!(incoming["broken"], json!([]));
    // The same at the lines of the rules.
    let sarif = nia
        .redshank(&["review", "--incoming", "--format", "sarif"])
        .json();
    holds_to_sarif(&sarif);
    let results = sarif["runs"][0]["results"].as_array().unwrap();
    let tracked = results
        .iter()
        .find(|one| one["ruleId"] == "rule/ignores-tracked")
        .unwrap();
    let place = &tracked["locations"][0]["physicalLocation"];
    assert_eq!(place["region"]["startLine"], 2);
    assert!(results.iter().any(|one| one["ruleId"] == "rule/idle"));
    let text = nia.redshank(&["review", "--incoming"]).out;
    assert!(text.contains("new, decides nothing"), "{text}");
    // Said once more after the pull, by the hook; and nothing after one that changes no rules.
    nia.redshank(&["hook", "on", "--after-merge"]).fine();
    let hook = nia.redshank(&["hook", "--format", "json"]).json();
    assert_eq!(hook["after_merge"], true);
    let pulled = nia.git(&["pull", "--quiet", "--no-rebase"]);
    let said = format!("{}{}", pulled.out, pulled.err);
    assert!(said.contains("newly ignored, although tracked"), "{said}");
    nia.redshank(&["hook", "off"]).fine();
    assert!(!nia.here().join(".git/hooks/post-merge").exists());
}

#[test]
fn a_merge_is_reviewed_as_git_would_make_it() {
    let nia = team();
    nia.git(&["fetch", "--quiet"]);
    // Both sides changed the file, in other places: it merges.
    nia.writes("deep/.gitignore", "*.dat\n");
    nia.writes("deep/x.dat", "x\n");
    nia.writes("b.raw", "x\n");
    nia.writes("c.tmp", "x\n");
    commit(&nia, "mine");
    let (_, merge) = review(&nia, &["--merge", "origin/main"]);
    assert_eq!(merge["conflicts"], json!([]));
    assert_eq!(merge["ignored"], json!(["b.raw", "src/level.py"]));
    // What git makes of it then is what was said.
    nia.git(&["merge", "--quiet", "--no-edit", "origin/main"]);
    for ignored in ["b.raw", "src/level.py", "deep/x.dat"] {
        let words = ["check-ignore", "--no-index", "--quiet", ignored];
        assert_eq!(nia.git_says(&words).code, 0, "{ignored}");
    }
    nia.git(&["reset", "--quiet", "--hard", "HEAD~1"]);
    // Both changed the same line: git will stop, and that is said.
    nia.writes(".gitignore", "*.log\n*.csv\n");
    commit(&nia, "mine, too");
    let (code, merge) = review(&nia, &["--merge", "origin/main"]);
    assert_eq!((code, &merge["conflicts"]), (1, &json!([".gitignore"])));
    let said = nia.redshank(&["review", "--merge", "origin/main"]);
    assert!(
        said.out.contains("the merge will stop") && !said.out.contains("<<<<"),
        "{}",
        said.out
    );
    assert_ne!(nia.git_says(&["merge", "--quiet", "origin/main"]).code, 0);
}

#[test]
fn what_is_staged_is_reviewed_and_no_upstream_is_said() {
    let nia = team();
    nia.writes(".gitignore", "*.log\n/src/\n");
    let (_, none) = review(&nia, &["--staged"]);
    assert_eq!(none["changed"], json!([]));
    nia.git(&["add", ".gitignore"]);
    nia.writes(".gitignore", "*.log\n");
    let (code, staged) = review(&nia, &["--staged"]);
    assert_eq!((code, &staged["after"]), (1, &json!("staged")));
    assert_eq!(staged["tracked"], json!(["src/level.py"]));
    assert_eq!(staged["by"][0]["pattern"], "/src/");
    // A new expectation that doesn't hold breaks; one that can't be read is said.
    let expected = "[[expect]]\npath = \"a.csv\"\nstate = \"ignored\"\n";
    nia.writes("redshank.toml", expected);
    let (code, disk) = review(&nia, &[]);
    assert_eq!((code, &disk["broken"][0]["subject"]), (1, &json!("a.csv")));
    nia.writes("redshank.toml", "[[expect]\n");
    let (code, disk) = review(&nia, &[]);
    assert!(code == 1 && disk["fault"].is_string(), "{disk}");
    nia.git(&["branch", "--unset-upstream"]);
    let said = nia.redshank(&["review", "--incoming"]);
    assert!(
        said.code == 2 && said.err.contains("--set-upstream-to"),
        "{}",
        said.err
    );
}
