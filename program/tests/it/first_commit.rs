//! The whole job on the demo: from a heap of files to a clean first commit.

use crate::common::Person;
use std::collections::BTreeSet;
use std::path::Path;

/// What the demo makes besides its sources and what belongs into the commit anyway.
const WORK: [&str; 5] = [
    "exhibit/Lagoon/Assets/Textures.meta",
    "exhibit/Lagoon/Assets/Textures/mudflat.png",
    "exhibit/Lagoon/Assets/Textures/mudflat.png.meta",
    "kiosk/gradle/wrapper/gradle-wrapper.jar",
    // What an editor's maker says to share.
    ".vscode/settings.json",
];

fn demo_sources() -> BTreeSet<String> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../app/demo/tidewatch");
    let listed = std::process::Command::new("git")
        .args([
            "ls-files",
            "-z",
            "--cached",
            "--others",
            "--exclude-standard",
            ".",
        ])
        .current_dir(folder)
        .output()
        .unwrap();
    let names = listed
        .stdout
        .split(|byte| *byte == 0)
        .filter(|name| !name.is_empty());
    // Cargo takes a folder with a manifest for a package: among our sources, it has another name.
    names
        .map(|name| String::from_utf8(name.to_vec()).unwrap())
        .map(|name| name.replace("gateway/manifest.toml", "gateway/Cargo.toml"))
        .collect()
}

/// Tidies the demo; its raw soundings are ignored, and that is answered for.
fn tidy(nia: &Person) {
    nia.redshank(&["tidy", "--large", "keep-out", "--apply", "--yes"])
        .fine();
    let found = nia.redshank(&["check", "--format", "json"]).json();
    for finding in found["findings"].as_array().unwrap() {
        assert_eq!(finding["rule"], "needed/too-large", "{finding}");
        let path = finding["path"].as_str().unwrap();
        let because = "kept on the harbour's own store";
        nia.redshank(&["accept", path, "--because", because, "--write", "--yes"])
            .fine();
    }
}

#[test]
fn the_first_commit_holds_every_source_and_nothing_else() {
    let nia = Person::with_demo();
    nia.agrees_with_git();
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    nia.agrees_with_git();
    tidy(&nia);
    nia.agrees_with_git();
    let check = nia.redshank(&["check", "--format", "json"]);
    assert_eq!(
        (
            check.code,
            check.json()["findings"].as_array().unwrap().len()
        ),
        (0, 0),
        "{}",
        check.out
    );
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "-q", "-m", "first"]);
    let committed: BTreeSet<String> = nia.git_lists(&["--cached"]).into_iter().collect();
    let mut expected = demo_sources();
    assert!(
        expected.len() > 30,
        "the demo's sources are there: {expected:?}"
    );
    expected.extend(WORK.map(str::to_owned));
    assert_eq!(committed, expected);
    nia.agrees_with_git();
}

#[test]
fn the_walk_ends_with_a_commit_and_says_what_stayed_out() {
    let mut nia = Person::new();
    // The walk builds a part of the demo; where its tool chain is, may be said by these, or are in
    // the home folder.
    let home = std::path::PathBuf::from(std::env::var_os("HOME").unwrap());
    for (name, folder) in [("RUSTUP_HOME", ".rustup"), ("CARGO_HOME", ".cargo")] {
        nia.sets(
            name,
            std::env::var_os(name).map_or_else(|| home.join(folder), Into::into),
        );
    }
    let walk = nia.redshank(&["demo", "tidewatch"]).fine();
    let committed = nia
        .git(&["-C", "tidewatch", "ls-tree", "-r", "--name-only", "HEAD"])
        .out
        .lines()
        .count();
    let last = walk.out.lines().last().unwrap();
    assert!(
        last.starts_with(&format!("{committed} files are committed, 4,")),
        "{last}"
    );
    for command in [
        "survey", "why", "try", "draft", "check", "tidy", "undo", "rehearse", "hook",
    ] {
        assert!(
            walk.out.contains(&format!("\n$ redshank {command}")),
            "{command} is missing"
        );
    }
    let refused = walk
        .err
        .find("redshank stopped this commit")
        .unwrap_or(usize::MAX);
    assert!(
        refused < walk.err.len() && walk.out.contains("it works in"),
        "{}",
        walk.err
    );
    assert_eq!(
        nia.git(&["-C", "tidewatch", "log", "--oneline"])
            .out
            .lines()
            .count(),
        2,
        "one was refused"
    );
    assert!(
        nia.git(&["-C", "tidewatch", "status", "--porcelain"])
            .out
            .is_empty()
    );
}

#[test]
fn the_demo_is_the_same_every_time_and_fills_no_folder_that_holds_something() {
    let [nia, bo] = [Person::with_demo(), Person::with_demo()];
    let all = |person: &Person| {
        let names = person.lists("candidate,ignored,tracked");
        names
            .into_iter()
            .filter(|name| !name.ends_with(".raw"))
            .map(|name| (person.reads(&name), name))
            .collect::<Vec<_>>()
    };
    assert!(all(&nia) == all(&bo));
    let again = nia.redshank(&["demo", "."]);
    assert_eq!(again.code, 2);
    assert!(again.err.contains("is not empty"), "{}", again.err);
}

#[test]
fn survey_shows_sizes_projects_findings_and_the_next_command() {
    let nia = Person::with_demo();
    let said = nia.redshank(&["survey", "--format", "json"]).fine();
    let survey = said.json();
    let folders: Vec<u64> = survey["folders"]
        .as_array()
        .unwrap()
        .iter()
        .map(|row| row["size"].as_u64().unwrap())
        .collect();
    assert!(
        folders.is_sorted_by(|a, b| a >= b),
        "biggest first: {folders:?}"
    );
    let total: u64 = survey["folders"]
        .as_array()
        .unwrap()
        .iter()
        .map(|row| row["files"].as_u64().unwrap())
        .sum();
    assert_eq!(survey["to_commit"]["files"], total);
    assert_eq!(
        survey["candidates"]["files"].as_u64().unwrap() as usize,
        nia.lists("candidate").len()
    );
    let projects: BTreeSet<(String, String)> = survey["projects"]
        .as_array()
        .unwrap()
        .iter()
        .map(|row| {
            (
                row["template"].as_str().unwrap().to_owned(),
                row["path"].as_str().unwrap().to_owned(),
            )
        })
        .collect();
    for (template, folder) in [
        ("rust", "gateway/"),
        ("python", "analysis/"),
        ("node", "dashboard/"),
        ("cmake", "firmware/"),
        ("unity", "exhibit/Lagoon/"),
        ("gradle", "kiosk/"),
    ] {
        assert!(
            projects.contains(&(template.to_owned(), folder.to_owned())),
            "{template} in {folder}"
        );
    }
    assert!(
        !projects
            .iter()
            .any(|(_, folder)| folder.contains("node_modules") || folder.contains("slackwater"))
    );
    assert_eq!(survey["next"], "redshank draft");
    nia.redshank(&["draft", "--write"]).fine();
    assert_eq!(
        nia.redshank(&["survey", "--format", "json"]).json()["next"],
        "redshank check"
    );
    tidy(&nia);
    assert_eq!(
        nia.redshank(&["survey", "--format", "json"]).json()["next"],
        "git add --all"
    );
}

#[test]
fn a_secret_of_the_demo_is_never_printed_whole() {
    let nia = Person::with_demo();
    let environment = String::from_utf8(nia.reads("gateway/.env")).unwrap();
    let password = environment
        .lines()
        .find_map(|line| line.strip_prefix("UPLINK_PASSWORD="))
        .unwrap()
        .to_owned();
    let in_address = environment
        .split("gateway:")
        .nth(1)
        .unwrap()
        .split('@')
        .next()
        .unwrap()
        .to_owned();
    let key = String::from_utf8(nia.reads("gateway/keys/uplink.pem")).unwrap();
    let key_line = key.lines().nth(1).unwrap().to_owned();
    let mut seen = String::new();
    for words in [
        &["check"][..],
        &["check", "-v"],
        &["check", "--format", "json"],
        &["check", "--format", "jsonl"],
        &["survey"],
        &["survey", "--format", "json"],
        &["tidy", "-v"],
        &["tidy", "--format", "json"],
        &["draft"],
    ] {
        let said = nia.redshank(words);
        seen += &said.out;
        seen += &said.err;
    }
    assert!(seen.contains("connection-string"), "it was found at all");
    for secret in [password, in_address, key_line] {
        assert!(
            secret.len() >= 12 && !seen.contains(&secret) && !seen.contains(&secret[..8]),
            "{secret} was shown"
        );
    }
}
