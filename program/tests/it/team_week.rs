//! A week of a team: two people with clones of one bare repository, and a job in a shallow clone.

use crate::common::{Person, made_up};
use serde_json::{Value, json};
use std::path::Path;

fn commit(person: &Person, message: &str) {
    person.git(&["add", "--all"]);
    person.git(&["commit", "--quiet", "-m", message]);
}

/// The script of a job, with this program on the PATH.
fn job(person: &Person, since: &str) -> (i32, String) {
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("../tools/ci-check");
    let script = format!(
        "REDSHANK_REPORTS=../reports sh {} {since}",
        script.display()
    );
    let said = person.runs_with_redshank("sh", &["-c", &script]);
    (said.code, format!("{}{}", said.out, said.err))
}

#[test]
fn a_week_from_the_first_push_to_a_merge_in_a_shallow_clone() {
    // Monday: Nia begins, with a hook, and looks before the first push.
    let mut nia = Person::with_repository();
    nia.writes("Cargo.toml", "[package]\nname = \"tide\"\n");
    nia.writes("src/main.rs", "fn main() {}\n");
    nia.writes("target/debug/tide", b"\x7fELF made");
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    let line = [".gitignore merge=union", "--write", "--yes"];
    nia.redshank(&[&["add", "--attributes"], &line[..]].concat())
        .fine();
    nia.redshank(&["prove", "--record", "--write", "--yes"])
        .fine();
    nia.redshank(&["hook", "on", "--before-push", "--after-merge"])
        .fine();
    commit(&nia, "Begin");
    nia.git(&["init", "--quiet", "--bare", "-b", "main", "../hub.git"]);
    nia.git(&["remote", "add", "origin", "../hub.git"]);
    let first = nia.redshank(&["outgoing", "origin/main"]).fine();
    assert!(first.out.contains("nothing found in it"), "{}", first.out);
    nia.git(&["push", "--quiet", "--set-upstream", "origin", "main"]);
    nia.git(&["clone", "--quiet", "../hub.git", "../ola"]);
    // Tuesday: both add a project, and so a block of rules in the same place.
    nia.goes_to("../ola");
    nia.git(&["switch", "--quiet", "--create", "plots"]);
    nia.writes("plots/pyproject.toml", "[project]\nname = \"plots\"\n");
    nia.writes("plots/plot.py", "print(1)\n");
    nia.redshank(&["draft", "python", "--write", "--yes"])
        .fine();
    commit(&nia, "Plots");
    nia.git(&["push", "--quiet", "--set-upstream", "origin", "plots"]);
    nia.goes_to("../work");
    nia.writes("web/package.json", "{ \"name\": \"web\" }\n");
    nia.redshank(&["draft", "node", "--write", "--yes"]).fine();
    commit(&nia, "Web");
    nia.git(&["push", "--quiet"]);
    // Wednesday: a job looks at Ola's branch, in a clone of little depth.
    let hub = format!("file://{}", nia.here().join("../hub.git").display());
    let depth = ["--depth", "3", "--no-single-branch", "--branch", "plots"];
    nia.git(&[&["clone", "--quiet"], &depth[..], &[&hub, "../job"]].concat());
    nia.goes_to("../job");
    let (code, said) = job(&nia, "origin/main");
    assert_eq!(code, 0, "{said}");
    let review: Value = serde_json::from_slice(&nia.reads("../reports/review.sarif")).unwrap();
    assert_eq!(review["version"], "2.1.0");
    assert!(nia.here().join("../reports/redshank.sarif").exists());
    let junit = String::from_utf8(nia.reads("../reports/redshank.xml")).unwrap();
    assert!(
        junit.contains("classname=\"redshank.prove\"") && junit.contains("time=\"0."),
        "{junit}"
    );
    // Thursday: the merge that both drafted for comes together, and nothing of it is wrong.
    nia.goes_to("../work");
    nia.git(&["fetch", "--quiet"]);
    let merge = ["review", "--merge", "origin/plots", "--format", "json"];
    let review = nia.redshank(&merge).json();
    assert_eq!(review["tracked"], json!([]));
    let merged = nia.git(&["merge", "--no-edit", "origin/plots"]);
    assert!(
        format!("{}{}", merged.out, merged.err).contains("rules changed in"),
        "{}",
        merged.err
    );
    let rules = String::from_utf8(nia.reads(".gitignore")).unwrap();
    for block in ["rust", "node", "python"] {
        let begin = format!("# redshank: begin {block}");
        assert_eq!(rules.matches(&begin).count(), 1, "{rules}");
    }
    assert!(!rules.contains("<<<<"), "{rules}");
    nia.redshank(&["draft", "--refresh", "--write", "--yes"])
        .fine();
    assert_eq!(nia.git(&["status", "--short"]).out, "");
    let classes = ["check", "--class", "rule", "--format", "json"];
    assert_eq!(nia.redshank(&classes).json()["findings"], json!([]));
    nia.redshank(&["prove"]).fine();
    nia.git(&["push", "--quiet"]);
    // Friday: a secret is committed and taken out again; the push stops, the job would, too.
    let key = made_up(32, 21);
    nia.writes("web/key.js", format!("const api_key = '{key}'\n"));
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "--quiet", "--no-verify", "-m", "Key"]);
    nia.git(&["rm", "--quiet", "web/key.js"]);
    nia.git(&["commit", "--quiet", "-m", "No key"]);
    let pushed = nia.git_says(&["push", "--quiet"]);
    assert!(
        pushed.code != 0 && pushed.err.contains("git push --no-verify"),
        "{}",
        pushed.err
    );
    let outgoing = nia.redshank(&["outgoing", "--format", "json"]).json();
    let commands = outgoing["findings"][0]["commands"]
        .as_array()
        .unwrap()
        .clone();
    let commands: Vec<&str> = commands.iter().filter_map(Value::as_str).collect();
    let followed = nia.runs("sh", &["-ec", &commands.join("\n")]);
    assert_eq!(followed.code, 0, "{}", followed.err);
    nia.git(&["push", "--quiet"]);
    let objects = [
        "-C",
        "../hub.git",
        "cat-file",
        "--batch-all-objects",
        "--batch",
    ];
    assert!(!nia.git(&objects).out.contains(&key));
    // And the job finds what a branch adds.
    nia.goes_to("../ola");
    nia.writes("plots/.env", format!("TIDE_API_KEY={key}\n"));
    nia.git(&["add", "--force", "plots/.env"]);
    nia.git(&["commit", "--quiet", "--no-verify", "-m", "Settings"]);
    let (code, said) = job(&nia, "origin/main");
    assert!(code == 1 && !said.contains(&key), "{said}");
}

#[test]
fn a_hook_manager_runs_the_check_by_its_manifest() {
    let top = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let manifest = std::fs::read_to_string(top.join(".pre-commit-hooks.yaml")).unwrap();
    let entry = manifest
        .lines()
        .find_map(|line| line.trim().strip_prefix("entry: "))
        .unwrap();
    let entry = top.join(entry);
    let nia = Person::with_repository();
    nia.writes("a.py", "print(1)\n");
    nia.git(&["add", "--all"]);
    let run = || nia.runs_with_redshank(entry.to_str().unwrap(), &[]);
    assert_eq!(run().code, 0);
    nia.writes("key.py", format!("api_key = '{}'\n", made_up(32, 22)));
    nia.git(&["add", "--all"]);
    assert_eq!(run().code, 1);
}
