//! Every sentence that says that all is well is true: what was left out, cut off or not scanned is
//! said.

use crate::common::{Person, made_up};
use serde_json::Value;

fn commit(person: &Person, message: &str) {
    person.git(&["add", "--all"]);
    person.git(&["commit", "--no-verify", "-qm", message]);
}

fn token_file(seed: u64) -> String {
    format!("token = '{}'\n", made_up(30, seed))
}

#[test]
fn the_hook_says_what_it_did_and_lists_warnings_before_the_first_commit() {
    let nia = Person::with_repository();
    nia.redshank(&["hook", "on", "--yes"]).fine();
    nia.writes("package.json", "{\"name\":\"gauge\",\"dependencies\":{}}");
    nia.writes("node_modules/a/index.js", "module.exports = 1;\n");
    nia.git(&["add", "--all"]);
    let git = |words: &[&str]| nia.runs_with_redshank("git", words);
    let first = git(&["commit", "-qm", "first"]).fine();
    let said = first.out + &first.err;
    assert!(said.contains("node_modules/"), "{said}");
    nia.writes("node_modules/a/more.js", "module.exports = 2;\n");
    nia.git(&["add", "--all"]);
    let second = git(&["commit", "-qm", "second"]).fine();
    let said = second.out + &second.err;
    assert!(!said.contains("nothing found"), "{said}");
    assert!(said.contains("no errors; 1 warning"), "{said}");
    assert!(said.contains("redshank check --staged"), "{said}");
    // Anyone who wants so is stopped by warnings.
    nia.writes("redshank.toml", "[hook]\nlevel = \"warning\"\n");
    nia.writes("node_modules/a/third.js", "module.exports = 3;\n");
    nia.git(&["add", "--all"]);
    let third = git(&["commit", "-qm", "third"]);
    assert_ne!(third.code, 0);
    assert!(
        third.err.contains("git commit --no-verify"),
        "{}",
        third.err
    );
}

#[test]
fn a_merge_is_checked_and_a_push_if_somebody_wants_so() {
    let nia = Person::with_repository();
    nia.writes("README.md", "tides\n");
    commit(&nia, "one");
    nia.git(&["switch", "-qc", "side"]);
    nia.writes("uplink.py", token_file(1));
    commit(&nia, "two");
    nia.git(&["switch", "-q", "main"]);
    nia.writes("more.md", "tides\n");
    commit(&nia, "three");
    nia.redshank(&["hook", "on", "--before-push", "--yes"])
        .fine();
    let git = |words: &[&str]| nia.runs_with_redshank("git", words);
    let merge = git(&["merge", "--no-edit", "side"]);
    assert_ne!(merge.code, 0, "{}", merge.out);
    assert!(
        merge.err.contains("redshank stopped this merge"),
        "{}",
        merge.err
    );
    nia.git(&["merge", "--abort"]);
    nia.git(&["init", "-q", "--bare", "../hub.git"]);
    nia.git(&["remote", "add", "hub", "../hub.git"]);
    git(&["push", "-q", "hub", "main"]);
    let push = git(&["push", "-q", "hub", "side"]);
    assert_ne!(push.code, 0);
    assert!(push.err.contains("git push --no-verify"), "{}", push.err);
    nia.redshank(&["hook", "off", "--yes"]).fine();
    for hook in ["pre-commit", "pre-merge-commit", "pre-push"] {
        assert!(!nia.here().join(".git/hooks").join(hook).exists(), "{hook}");
    }
}

#[test]
fn a_hook_of_only_its_first_line_is_there_again() {
    let nia = Person::with_repository();
    nia.writes(".git/hooks/pre-commit", "#!/bin/sh\n");
    nia.runs("chmod", &["+x", ".git/hooks/pre-commit"]).fine();
    nia.redshank(&["hook", "on", "--yes"]).fine();
    nia.redshank(&["hook", "off", "--yes"]).fine();
    assert_eq!(nia.reads(".git/hooks/pre-commit"), b"#!/bin/sh\n");
}

#[test]
fn a_hook_that_git_passes_over_is_not_called_installed() {
    let nia = Person::with_repository();
    nia.redshank(&["hook", "on", "--yes"]).fine();
    nia.runs("chmod", &["-x", ".git/hooks/pre-commit"]).fine();
    let said = nia.redshank(&["hook", "status"]).fine();
    assert!(said.out.contains("isn't executable"), "{}", said.out);
    assert!(!said.out.contains("installed"), "{}", said.out);
    let json = nia.redshank(&["hook", "status", "--format", "json"]).json();
    assert_eq!(json["on"], false);
}

/// A person's own folder of hooks, for all repositories, is no reason to end before the commit.
#[test]
fn setup_goes_on_where_hooks_are_kept_elsewhere() {
    let nia = Person::with_repository();
    nia.writes("gauge.py", "print(1)\n");
    let elsewhere = nia.here().with_file_name("my-hooks");
    nia.git(&["config", "core.hooksPath", elsewhere.to_str().unwrap()]);
    let said = nia.redshank(&["setup", "--yes"]).fine();
    assert!(said.out.contains("No hook is installed"), "{}", said.out);
    assert!(said.out.contains("check --staged"), "{}", said.out);
    assert!(said.out.contains("6. The commit"), "{}", said.out);
    assert!(!elsewhere.exists());
}

#[test]
fn an_expectation_that_no_path_meets_says_so() {
    let nia = Person::with_repository();
    nia.writes(
        "redshank.toml",
        "[[expect]]\npattern = \"*.raw\"\nstate = \"ignored\"\n",
    );
    let said = nia.redshank(&["prove"]).fine();
    assert!(said.out.contains("nothing was tried"), "{}", said.out);
}

#[test]
fn what_was_pushed_is_an_error_whatever_todays_rules_say() {
    let nia = Person::with_repository();
    nia.writes("uplink.py", token_file(2));
    commit(&nia, "one");
    nia.git(&["init", "-q", "--bare", "../hub.git"]);
    nia.git(&["remote", "add", "hub", "../hub.git"]);
    nia.git(&["push", "-q", "hub", "main"]);
    nia.git(&["rm", "-q", "--cached", "uplink.py"]);
    nia.writes(".gitignore", "uplink.py\n");
    commit(&nia, "two");
    let said = nia.redshank(&["check", "--history", "--format", "json"]);
    assert_eq!(said.code, 1);
    let found = &said.json()["findings"][0];
    assert_eq!(
        (&found["level"], &found["exposure"]),
        (&"error".into(), &"pushed".into())
    );
    // With the ignored file looked into as well, it is no mere note.
    let said = nia.redshank(&["check", "--history", "--ignored", "--format", "json"]);
    let levels: Vec<Value> = said.json()["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| one["level"].clone())
        .collect();
    assert!(levels.contains(&"error".into()), "{levels:?}");
}

#[test]
fn the_stash_notes_and_the_reflog_are_named_each_with_its_remedy() {
    let nia = Person::with_repository();
    nia.writes(
        "redshank.toml",
        "[[reserved]]\npattern = \"*.skp\"\nbecause = \"bought\"\n",
    );
    commit(&nia, "one");
    nia.writes("stashed.py", token_file(3));
    nia.git(&["add", "stashed.py"]);
    nia.git(&["stash", "-q"]);
    nia.git(&["notes", "add", "-m", &token_file(4)]);
    nia.writes("amended.py", token_file(5));
    nia.writes("pier.skp", "bought");
    commit(&nia, "two");
    nia.git(&["reset", "-q", "--hard", "HEAD~1"]);
    let said = nia
        .redshank(&["check", "--history", "--level", "note", "--format", "json"])
        .json();
    let all = said["findings"].as_array().unwrap();
    let head = nia.git(&["rev-parse", "HEAD"]).out.trim().to_owned();
    for (path, remedy) in [
        ("stashed.py", "git stash drop stash@{0}"),
        ("refs/notes", &*format!("git notes remove {head}")),
        ("amended.py", "git reflog expire"),
        ("pier.skp", "git reflog expire"),
    ] {
        let found = all.iter().find(|one| one["path"] == path);
        let found = found.unwrap_or_else(|| panic!("{path} in {all:#?}"));
        assert!(
            found["remedy"].as_str().unwrap().contains(remedy),
            "{found}"
        );
    }
}

#[test]
fn where_the_history_is_cut_is_said_and_counts_under_strict() {
    let nia = Person::with_repository();
    for nth in 0..3 {
        nia.writes("level.txt", format!("{nth}"));
        commit(&nia, "more");
    }
    let whole = nia
        .redshank(&["check", "--history", "--strict", "--format", "json"])
        .fine()
        .json();
    assert_eq!(whole["history_cut"], serde_json::json!([]));
    let url = format!("file://{}", nia.here().display());
    nia.git(&["clone", "-q", "--depth", "1", &url, "../shallow"]);
    let mut lev = nia.again();
    lev.goes_to("../shallow");
    let said = lev.redshank(&["check", "--history"]).fine();
    assert!(
        said.err.contains("the history here is cut at"),
        "{}",
        said.err
    );
    assert!(!said.out.contains("should not be tracked"), "{}", said.out);
    assert_eq!(lev.redshank(&["check", "--history", "--strict"]).code, 2);
    let json = lev
        .redshank(&["check", "--history", "--format", "json"])
        .json();
    assert_eq!(json["history_cut"].as_array().unwrap().len(), 1);
}

#[test]
fn what_was_not_scanned_is_said_and_counts_under_strict() {
    let nia = Person::with_repository();
    nia.writes("gauges.zip", b"PK\x03\x04rest");
    let said = nia.redshank(&["check"]).fine();
    assert!(
        said.out.contains("nothing found in what was scanned"),
        "{}",
        said.out
    );
    assert!(
        said.err.contains("1 archive was not scanned"),
        "{}",
        said.err
    );
    assert_eq!(nia.redshank(&["check", "--strict"]).code, 2);
    let lev = Person::with_repository();
    lev.git(&["init", "-q", "inner"]);
    lev.writes("inner/x.txt", "x");
    lev.runs("git", &["-C", "inner", "add", "--all"]).fine();
    lev.runs("git", &["-C", "inner", "commit", "-qm", "x"])
        .fine();
    let said = lev.redshank(&["check", "--format", "json"]);
    assert_eq!(said.json()["submodules"][0]["path"], "inner/");
    assert_eq!(lev.redshank(&["check", "--strict"]).code, 2);
}

#[test]
fn a_stray_zero_or_another_encoding_hides_no_secret() {
    let nia = Person::with_repository();
    let text = token_file(6);
    nia.writes("stray.py", format!("{text}level = 1\n\0x = 2\n"));
    let wide: Vec<u8> = text
        .chars()
        .flat_map(|c| u32::from(c).to_le_bytes())
        .collect();
    nia.writes("wide.py", wide);
    let said = nia.redshank(&["check", "--format", "json"]).json();
    let found = &said["findings"][0];
    let mut paths = vec![found["path"].as_str().unwrap().to_owned()];
    paths.extend(
        found["also"]
            .as_array()
            .unwrap()
            .iter()
            .map(|one| one["path"].as_str().unwrap().to_owned()),
    );
    paths.sort();
    assert_eq!(paths, ["stray.py", "wide.py"]);
}

/// A key as a tool writes it: the tool, its arguments, and the file that it writes; nothing where
/// it writes to its standard output.
type Tool<'t> = (&'t str, &'t [&'t str], Option<&'t str>);

/// Those that every system with git has, and those that `.ci/run` installs.
const KEY_TOOLS: &[Tool] = &[
    (
        "ssh-keygen",
        &["-q", "-t", "ed25519", "-N", "", "-f", "a"],
        Some("a"),
    ),
    (
        "ssh-keygen",
        &["-q", "-t", "rsa", "-N", "", "-f", "b"],
        Some("b"),
    ),
    (
        "ssh-keygen",
        &["-q", "-t", "ecdsa", "-N", "", "-f", "c"],
        Some("c"),
    ),
    (
        "ssh-keygen",
        &["-q", "-t", "rsa", "-m", "PEM", "-N", "", "-f", "d"],
        Some("d"),
    ),
    ("openssl", &["genrsa", "2048"], None),
    ("openssl", &["genrsa", "-traditional", "2048"], None),
    (
        "openssl",
        &["ecparam", "-name", "prime256v1", "-genkey", "-noout"],
        None,
    ),
    ("openssl", &["genpkey", "-algorithm", "ed25519"], None),
    ("openssl", &["genpkey", "-algorithm", "x25519"], None),
    (
        "puttygen",
        &[
            "-t",
            "ed25519",
            "-q",
            "-o",
            "e",
            "--new-passphrase",
            "/dev/null",
        ],
        Some("e"),
    ),
    ("age-keygen", &[], None),
];

#[test]
fn every_form_of_a_key_that_tools_write_is_found_by_what_it_holds() {
    for (tool, words, file) in KEY_TOOLS {
        let nia = Person::with_repository();
        let is_there = nia.runs("sh", &["-c", &format!("command -v {tool}")]).code == 0;
        if !is_there {
            assert!(
                !["ssh-keygen", "openssl"].contains(tool),
                "{tool} is missing"
            );
            assert!(std::env::var_os("CI").is_none(), "{tool} is missing");
            continue;
        }
        let made = nia.runs(tool, words).fine();
        let key = file.map_or(made.bytes, |file| nia.reads(file));
        let lev = Person::with_repository();
        lev.writes("handover.txt", key);
        let said = lev.redshank(&["check"]);
        assert_eq!(said.code, 1, "{tool} {words:?}: {}", said.out);
        assert!(
            said.out.contains("error  secret"),
            "{tool} {words:?}: {}",
            said.out
        );
    }
    // One with a password is a note.
    let nia = Person::with_repository();
    nia.runs(
        "ssh-keygen",
        &["-q", "-t", "ed25519", "-N", "spring tide", "-f", "key"],
    )
    .fine();
    std::fs::remove_file(nia.here().join("key.pub")).unwrap();
    std::fs::rename(nia.here().join("key"), nia.here().join("handover.txt")).unwrap();
    nia.redshank(&["check"]).fine();
}
