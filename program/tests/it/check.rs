//! `check` as hooks and CI ask it, and what is accepted.

use crate::common::Person;
use serde_json::Value;

/// A made-up key, put together here so that no source holds one.
fn made_up_key() -> String {
    ["AK", "IA", "2T7GQ5VXJW3NPRLD"].concat()
}

fn findings(nia: &Person, more: &[&str]) -> Vec<Value> {
    let said = nia.redshank(&[&["check", "--format", "json"], more].concat());
    assert!(said.code < 2, "{}", said.err);
    said.json()["findings"].as_array().unwrap().clone()
}

fn paths(findings: &[Value]) -> Vec<&str> {
    findings
        .iter()
        .map(|finding| finding["path"].as_str().unwrap())
        .collect()
}

#[test]
fn findings_are_narrowed_by_path_class_and_level() {
    let nia = Person::with_repository();
    nia.writes("a/key.txt", format!("id = {}\n", made_up_key()));
    nia.writes("b/big.raw", vec![0; 11 << 20]);
    nia.writes("b/x.log", "");
    assert_eq!(
        paths(&findings(&nia, &[])),
        ["a/key.txt", "b/big.raw", "b/x.log"]
    );
    assert_eq!(paths(&findings(&nia, &["a"])), ["a/key.txt"]);
    assert_eq!(
        paths(&findings(&nia, &["b/x.log", "a/"])),
        ["a/key.txt", "b/x.log"]
    );
    assert_eq!(
        paths(&findings(&nia, &["--class", "oversized,generated"])),
        ["b/big.raw", "b/x.log"]
    );
    assert_eq!(paths(&findings(&nia, &["--level", "error"])), ["a/key.txt"]);
    for wrong in [
        &["nowhere"][..],
        &["--class", "secrets"],
        &["--level", "bad"],
        &["--format", "junit"],
    ] {
        assert_eq!(
            nia.redshank(&[&["check"], wrong].concat()).code,
            2,
            "{wrong:?}"
        );
    }
    nia.writes(".gitignore", "/a/\n");
    assert_eq!(paths(&findings(&nia, &["--class", "secret"])), [""; 0]);
    let ignored = findings(&nia, &["--class", "secret", "--ignored"]);
    assert_eq!(
        (paths(&ignored), &ignored[0]["level"]),
        (vec!["a/key.txt"], &"note".into())
    );
}

#[test]
fn staged_contents_are_looked_at_not_those_on_disk() {
    let nia = Person::with_repository();
    let key = made_up_key();
    nia.writes("staged.txt", format!("\nid = {key}\n"));
    nia.writes("disk.txt", "nothing\n");
    nia.writes("large.raw", vec![0; 11 << 20]);
    nia.git(&["add", "."]);
    nia.writes("staged.txt", "taken out on disk only\n");
    nia.writes("disk.txt", format!("id = {key}\n"));
    nia.writes("untracked.txt", format!("id = {key}\n"));
    std::fs::remove_file(nia.here().join("large.raw")).unwrap();
    let found = findings(&nia, &["--staged"]);
    assert_eq!(paths(&found), ["staged.txt", "large.raw"]);
    assert_eq!(
        (&found[0]["line"], &found[0]["exposure"]),
        (&2.into(), &"staged".into())
    );
    assert_eq!(found[1]["size"], 11 << 20);
    // What is committed already is not asked about again.
    nia.git(&["commit", "-qm", "first"]);
    nia.git(&["add", "disk.txt"]);
    assert_eq!(paths(&findings(&nia, &["--staged"])), ["disk.txt"]);
    nia.git(&["rm", "-q", "--cached", "disk.txt"]);
    assert_eq!(paths(&findings(&nia, &["--staged"])), [""; 0]);
    assert_eq!(Person::new().redshank(&["check", "--staged"]).code, 2);
}

#[test]
fn an_accepted_finding_is_gone_until_its_day_and_reported_when_stale() {
    let nia = Person::with_repository();
    let key = made_up_key();
    nia.writes("redshank.toml", "# ours\n");
    nia.writes("key.txt", format!("id = {key}\n"));
    let id = findings(&nia, &[])[0]["id"].as_str().unwrap().to_owned();
    assert_eq!(nia.redshank(&["accept", &id]).code, 2, "a reason is needed");
    assert_eq!(
        nia.redshank(&["accept", "000000000000", "--because", "x"])
            .code,
        2
    );
    let past = ["accept", &id, "--because", "x", "--until", "2020-01-01"];
    assert_eq!(nia.redshank(&past).code, 2);
    nia.redshank(&["accept", &id, "--because", "made up"])
        .fine();
    assert_eq!(
        nia.reads("redshank.toml"),
        b"# ours\n",
        "nothing is written without being told"
    );
    nia.redshank(&[
        "accept",
        &id,
        "--because",
        "made up",
        "--until",
        "2999-12-31",
        "--write",
    ])
    .fine();
    let settings = String::from_utf8(nia.reads("redshank.toml")).unwrap();
    assert!(
        settings.starts_with("# ours\n") && settings.contains("because = \"made up\""),
        "{settings}"
    );
    assert!(!settings.contains(&key));
    // Lines that move above it don't bring it back.
    nia.writes("key.txt", format!("\n\nid = {key}\n"));
    let said = nia.redshank(&["check", "--format", "json"]).fine().json();
    assert_eq!(
        (
            said["findings"].as_array().unwrap().len(),
            &said["summary"]["accepted"]
        ),
        (0, &1.into())
    );
    // Nor does tidy touch it.
    assert!(
        nia.redshank(&["tidy"]).fine().out.contains("nothing"),
        "tidy"
    );
    nia.writes(
        "redshank.toml",
        settings.replace("2999-12-31", "2026-01-01"),
    );
    let expired = findings(&nia, &[]);
    assert!(
        expired[0]["message"]
            .as_str()
            .unwrap()
            .ends_with("accepted only until 2026-01-01"),
        "{expired:?}"
    );
    nia.writes("redshank.toml", &settings);
    nia.writes("key.txt", "gone\n");
    let stale = findings(&nia, &[]);
    assert_eq!(
        (&stale[0]["rule"], stale.len()),
        (&"rule/stale-acceptance".into(), 1)
    );
    assert_eq!(
        findings(&nia, &["key.txt"]).len(),
        0,
        "a narrowed check can't tell"
    );
}

#[test]
fn sarif_names_rule_place_and_fingerprint_and_never_the_secret() {
    let nia = Person::with_repository();
    nia.writes("a b/ü.txt", format!("\nid = {}\n", made_up_key()));
    let said = nia.redshank(&["check", "--format", "sarif"]);
    assert!(said.code == 1 && !said.out.contains(&made_up_key()));
    let log = said.json();
    assert_eq!(log["version"], "2.1.0");
    let run = &log["runs"][0];
    let result = &run["results"][0];
    assert_eq!(result["ruleId"], run["tool"]["driver"]["rules"][0]["id"]);
    let place = &result["locations"][0]["physicalLocation"];
    assert_eq!(place["artifactLocation"]["uri"], "a%20b/%C3%BC.txt");
    assert_eq!(place["region"]["startLine"], 2);
    assert_eq!(
        result["partialFingerprints"]["redshank/v1"],
        findings(&nia, &[])[0]["id"]
    );
    assert_eq!(nia.redshank(&["survey", "--format", "sarif"]).code, 2);
}

#[test]
fn what_could_not_be_read_fails_a_strict_check() {
    let nia = Person::with_repository();
    let folder = nia.here().join("d".repeat(200));
    std::fs::create_dir(&folder).unwrap();
    // Deeper than a path may be, so that even root can't read it.
    for _ in 0..30 {
        let inner = nia.here().join("inner");
        std::fs::create_dir(&inner).unwrap();
        std::fs::rename(&folder, inner.join("d".repeat(200))).unwrap();
        std::fs::rename(&inner, &folder).unwrap();
    }
    assert_eq!(nia.redshank(&["check"]).code, 0);
    let strict = nia.redshank(&["check", "--strict"]);
    assert!(
        strict.code == 2 && strict.err.contains("not read: "),
        "{}",
        strict.err
    );
}

#[test]
fn what_a_tool_made_is_known_by_its_first_bytes() {
    let nia = Person::with_repository();
    nia.writes("src/gauge", b"\x7fELF\x02\x01\x01 and so on");
    nia.writes("tides", b"SQLite format 3\0 and so on");
    nia.writes("web/level.bin", b"\0asm\x01\0\0\0");
    nia.writes(
        "tests/testdata/small",
        b"\x7fELF\x02\x01\x01 kept on purpose",
    );
    nia.writes("short", b"\x7fEL");
    nia.writes("story.txt", "\u{7f}ELV is a word\n");
    let found = findings(&nia, &[]);
    let rules: Vec<&str> = found
        .iter()
        .map(|finding| finding["rule"].as_str().unwrap())
        .collect();
    assert_eq!(paths(&found), ["tides", "src/gauge", "web/level.bin"]);
    assert_eq!(
        rules,
        [
            "generated/database",
            "generated/program",
            "generated/wasm-module"
        ]
    );
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    assert_eq!(
        nia.lists("ignored"),
        ["src/gauge", "tides", "web/level.bin"]
    );
    nia.agrees_with_git();
}
