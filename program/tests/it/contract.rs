//! What a plan promises: it changes what its findings are about and nothing else, whatever git
//! tracks already, and a person's exception is law.

use crate::common::Person;
use serde_json::Value;

fn findings(person: &Person) -> Vec<(String, String)> {
    let said = person.redshank(&["check", "--level", "note", "--format", "json"]);
    let all = said.json()["findings"].as_array().unwrap().clone();
    let text = |value: &Value| value.as_str().unwrap().to_owned();
    all.iter()
        .map(|one| (text(&one["rule"]), text(&one["path"])))
        .collect()
}

#[test]
fn a_rule_of_an_inner_ignore_file_is_never_written_at_the_top() {
    let nia = Person::with_repository();
    nia.writes(
        "pyproject.toml",
        "[project]\nname = \"gauge\"\n[tool.pdm]\n",
    );
    nia.writes("pdm.lock", "");
    nia.writes("src/gauge.py", "import sys\n");
    nia.writes("__pypackages__/.gitignore", "*\n!.gitignore\n");
    nia.writes("__pypackages__/3.11/lib/x.py", "");
    let plan = nia.redshank(&["tidy", "--format", "json"]).fine().json();
    assert!(
        plan["steps"]
            .as_array()
            .unwrap()
            .iter()
            .all(|step| step["rule"] != "*"),
        "{plan}"
    );
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    let left = nia.lists("candidate");
    assert_eq!(
        left,
        [".gitignore", "pdm.lock", "pyproject.toml", "src/gauge.py"]
    );
}

#[test]
fn a_step_that_would_ignore_more_than_its_finding_is_left_to_the_person() {
    let nia = Person::with_repository();
    nia.writes("package.json", "{\"name\":\"gauge\",\"dependencies\":{}}");
    nia.writes("node_modules/tide/index.js", "module.exports = 1;\n");
    nia.writes("node_modules/ours/patch.js", "module.exports = 2;\n");
    nia.writes(
        ".gitignore",
        "/node_modules/ours/*\n!/node_modules/ours/patch.js\n",
    );
    let said = nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    assert!(said.out.contains("write a narrower rule"), "{}", said.out);
    assert!(
        nia.lists("candidate")
            .contains(&"node_modules/ours/patch.js".to_owned())
    );
}

#[test]
fn the_verdict_is_the_same_whether_a_thing_is_untracked_staged_or_committed() {
    let mut seen = Vec::new();
    for state in ["untracked", "staged", "committed"] {
        let nia = Person::with_repository();
        nia.writes("Cargo.toml", "[package]\nname = \"gauge\"\n");
        nia.writes("src/main.rs", "fn main() {}\n");
        nia.writes("myenv/pyvenv.cfg", "home = /usr/bin\n");
        nia.writes("myenv/bin/Activate.ps1", "function x {}\n");
        nia.writes("myenv/lib/python3/site-packages/six.py", "x = 1\n");
        nia.writes(
            "warm/CACHEDIR.TAG",
            "Signature: 8a477f597d28d172789f06886806bc55\n",
        );
        nia.writes("warm/a.bin", "x");
        nia.writes("target/debug/gauge.d", "x");
        if state != "untracked" {
            nia.git(&["add", "--all"]);
        }
        if state == "committed" {
            nia.git(&["commit", "-qm", "all of it"]);
        }
        let found: Vec<(String, String)> = findings(&nia)
            .into_iter()
            .filter(|(rule, _)| rule.starts_with("generated/"))
            .collect();
        let survey = nia.redshank(&["survey", "--format", "json"]).fine().out;
        assert!(!survey.contains("powershell"), "{state}: {survey}");
        nia.redshank(&["draft", "--write", "--yes"]).fine();
        nia.redshank(&["tidy", "--apply", "--yes"]).fine();
        assert!(
            !nia.redshank(&["tidy", "--apply", "--yes"])
                .fine()
                .out
                .contains("done")
        );
        let mut kept = [nia.lists("tracked"), nia.lists("candidate")].concat();
        kept.retain(|path| !path.starts_with(".redshank") && path != ".gitignore");
        kept.sort();
        seen.push((found, kept));
    }
    assert_eq!(seen[0].0.len(), 3, "{:?}", seen[0].0);
    assert_eq!(seen[0].1, ["Cargo.toml", "src/main.rs"]);
    assert_eq!(seen[0], seen[1]);
    assert_eq!(seen[0], seen[2]);
}

#[test]
fn what_an_exception_names_is_not_found_not_planned_and_not_drafted_against() {
    let nia = Person::with_repository();
    nia.writes("package.json", "{\"name\":\"gauge\",\"dependencies\":{}}");
    nia.writes(".gitignore", "*.log\n!special.log\n");
    nia.writes("special.log", "level 2.31\n");
    nia.writes("npm-debug.log", "x");
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "-qm", "one"]);
    assert!(
        findings(&nia).iter().all(|(_, path)| path != "special.log"),
        "{:?}",
        findings(&nia)
    );
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    assert!(nia.lists("tracked").contains(&"special.log".to_owned()));
    let why = nia.redshank(&["why", "--quiet", "special.log"]);
    assert_eq!(why.code, 1, "it is not ignored");
    // A folder that only takes part again is not named: what tools put there is found.
    let lev = Person::with_repository();
    lev.writes(
        "web/package.json",
        "{\"name\":\"gauge\",\"dependencies\":{}}",
    );
    lev.writes(".gitignore", "/*\n!/web/\n!/.gitignore\n");
    lev.writes("web/node_modules/a/index.js", "x");
    let found = findings(&lev);
    assert!(
        found.iter().any(|(_, path)| path == "web/node_modules/"),
        "{found:?}"
    );
}

#[test]
fn a_secret_that_was_read_is_found_whatever_an_exception_says() {
    let nia = Person::with_repository();
    nia.writes(".gitignore", ".env*\n!.env.shared\n");
    nia.writes(
        ".env.shared",
        format!("API_TOKEN={}\n", crate::common::made_up(32, 9)),
    );
    let said = nia.redshank(&["check"]);
    assert_eq!(said.code, 1, "{}", said.out);
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    assert!(nia.lists("candidate").contains(&".env.shared".to_owned()));
}

#[test]
fn untrack_does_what_is_named_and_undo_brings_it_back() {
    let nia = Person::with_repository();
    nia.writes("math.js", "export const tide = 1;\n");
    nia.writes("out/a.txt", "a");
    nia.writes("out/b.txt", "b");
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "-qm", "one"]);
    nia.writes("notes.md", "only staged\n");
    nia.git(&["add", "notes.md"]);
    let add = nia
        .redshank(&["add", "math.js", "out/", "notes.md", "--write", "--yes"])
        .fine();
    assert!(add.out.contains("redshank untrack"), "{}", add.out);
    // No plan undoes what was named.
    let plan = nia.redshank(&["tidy", "--format", "json"]).fine().json();
    assert_eq!(plan["steps"], serde_json::json!([]));

    let before = nia.lists("tracked");
    let said = nia.redshank(&["untrack", "math.js"]).fine();
    assert!(
        said.out.contains("git deletes 1 file on their disks"),
        "{}",
        said.out
    );
    assert_eq!(nia.lists("tracked"), before, "nothing changes unasked");
    nia.redshank(&["untrack", "math.js", "out", "--apply", "--yes"])
        .fine();
    assert_eq!(nia.lists("tracked"), ["notes.md"]);
    assert_eq!(nia.reads("math.js"), b"export const tide = 1;\n");
    let json = nia.redshank(&[
        "untrack",
        "--ignored",
        "--apply",
        "--yes",
        "--format",
        "json",
    ]);
    let json = json.fine().json();
    assert_eq!(json["schema"], "redshank.untrack/1");
    assert_eq!(json["files"][0]["path"], "notes.md");
    assert_eq!(json["files"][0]["committed"], false);
    assert_eq!(nia.lists("tracked"), Vec::<String>::new());
    nia.redshank(&["undo", "--yes"]).fine();
    nia.redshank(&["undo", "--yes"]).fine();
    assert_eq!(nia.lists("tracked"), before);

    let said = nia.redshank(&["untrack", "no such"]);
    assert_eq!(said.code, 2);
    assert!(said.err.contains("no such is not tracked"), "{}", said.err);
    assert!(
        nia.redshank(&["mute", "."])
            .err
            .contains(". is not tracked")
    );
}

#[test]
fn a_scaffolds_template_of_an_ignore_file_keeps_its_name() {
    let nia = Person::with_repository();
    nia.writes("template/_gitignore", "node_modules/\n");
    nia.writes(
        "index.js",
        "const renamed = { _gitignore: '.gitignore' };\n",
    );
    nia.writes("other/gitignore", "*.log\n");
    let found = findings(&nia);
    let strays: Vec<&String> = found
        .iter()
        .filter(|(rule, _)| rule == "rule/stray-file")
        .map(|(_, path)| path)
        .collect();
    assert_eq!(strays, ["other/gitignore"]);
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    assert!(
        nia.here().join("other/gitignore").exists(),
        "tidy never renames"
    );
}

/// What many threads wait for must not be worked out by a thread that takes up other work meanwhile:
/// that stopped one `draft` in twelve forever on a machine with eight processors.
#[test]
fn many_threads_come_to_an_end() {
    let mut nia = Person::with_repository();
    for number in 0..6 {
        nia.writes(&format!("f{number}.py"), format!("print({number})\n"));
    }
    nia.sets("RAYON_NUM_THREADS", "8".into());
    let program = env!("CARGO_BIN_EXE_redshank");
    for command in ["draft", "check"] {
        for _ in 0..40 {
            let said = nia.runs("timeout", &["20", program, command]);
            assert!(said.code < 2, "{command}: {}", said.code);
        }
    }
}
