//! What a push would send, and what a change of rules by other hands does: two people, one remote.

use crate::common::{Person, made_up};
use crate::schemas::valid;
use proptest::prelude::*;
use serde_json::{Value, json};

/// Commits all that is there.
fn commit(nia: &Person, message: &str) {
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "--quiet", "-m", message]);
}

/// Somebody with a repository, one commit, and a remote that has it.
fn with_remote() -> Person {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "*.log\n");
    nia.writes("src/a.py", "print(1)\n");
    commit(&nia, "one");
    nia.git(&["branch", "-M", "main"]);
    nia.git(&["init", "--quiet", "--bare", "../hub.git"]);
    nia.git(&["remote", "add", "origin", "../hub.git"]);
    nia.git(&["push", "--quiet", "--set-upstream", "origin", "main"]);
    nia
}

fn outgoing(nia: &Person, more: &[&str]) -> Value {
    let words = [&["outgoing", "--format", "json"], more].concat();
    let document = nia.redshank(&words).json();
    valid("outgoing", &document);
    document
}

#[test]
fn a_push_shows_what_is_sent_and_every_version_on_the_way() {
    let nia = with_remote();
    let none = outgoing(&nia, &[]);
    assert_eq!((&none["commits"], &none["files"]), (&json!(0), &json!([])));
    let said = nia.redshank(&["outgoing"]).fine();
    assert!(said.out.contains("nothing to push"), "{}", said.out);
    // A key that was added and removed again is sent as well.
    let key = made_up(32, 3);
    nia.writes("src/key.py", format!("api_key = '{key}'\n"));
    commit(&nia, "two");
    nia.git(&["rm", "--quiet", "src/key.py"]);
    nia.writes("src/a.py", "print(2)\n");
    nia.writes("node_modules/x/index.js", "module.exports = 1\n");
    commit(&nia, "three");
    let json = outgoing(&nia, &[]);
    assert_eq!(json["schema"], "redshank.outgoing/1");
    assert_eq!(
        (&json["remote"], &json["branch"]),
        (&json!("origin"), &json!("main"))
    );
    assert_eq!(json["commits"], 2);
    let counted = nia.git(&["rev-list", "--objects", "HEAD", "--not", "--remotes=origin"]);
    assert_eq!(json["objects"], counted.out.lines().count());
    let files = json["files"].as_array().unwrap().iter();
    let files: Vec<Value> = files
        .map(|file| json!([file["path"], file["change"], file["size"]]))
        .collect();
    assert_eq!(
        files,
        [
            json!(["node_modules/x/index.js", "added", 19]),
            json!(["src/a.py", "changed", 9])
        ]
    );
    let findings = json["findings"].as_array().unwrap().iter();
    let findings: Vec<Value> = findings
        .map(|one| json!([one["class"], one["path"]]))
        .collect();
    assert!(
        findings.contains(&json!(["secret", "src/key.py"])),
        "{findings:?}"
    );
    assert!(
        findings.contains(&json!(["generated", "node_modules/x/index.js"])),
        "{findings:?}"
    );
    assert!(!json.to_string().contains(&key));
    let said = nia.redshank(&["outgoing", "--compare"]);
    assert_eq!(said.code, 1, "{}", said.err);
    assert!(
        said.out.contains("2 commits") && !said.out.contains(&key),
        "{}",
        said.out
    );
    // Once it is pushed, it is no news for a push any more.
    nia.git(&["push", "--quiet"]);
    let json = outgoing(&nia, &[]);
    assert_eq!(
        (&json["commits"], &json["findings"]),
        (&json!(0), &json!([]))
    );
    // What wasn't looked into is said, and is no all-clear.
    nia.writes("levels.zip", b"PK\x03\x04levels");
    commit(&nia, "four");
    let said = nia.redshank(&["outgoing"]);
    assert!(said.out.contains("in what was scanned"), "{}", said.out);
    assert!(
        said.err.contains("1 archive was not scanned"),
        "{}",
        said.err
    );
}

#[test]
fn what_others_lack_is_said_with_its_reason() {
    let nia = with_remote();
    nia.writes("debug.log", "x\n");
    nia.writes("draft.txt", "x\n");
    nia.writes("staged.txt", "x\n");
    nia.git(&["add", "staged.txt"]);
    nia.git(&["commit", "--quiet", "-m", "two"]);
    nia.writes("new.txt", "x\n");
    nia.git(&["add", "new.txt"]);
    nia.writes("src/a.py", "print(3)\n");
    let compare = &outgoing(&nia, &["--compare"])["compare"];
    let missing = compare["missing"].as_array().unwrap().iter();
    let missing: Vec<Value> = missing
        .map(|one| json!([one["path"], one["reason"]]))
        .collect();
    assert_eq!(
        missing,
        [
            json!(["debug.log", "ignored"]),
            json!(["draft.txt", "untracked"]),
            json!(["new.txt", "staged"]),
            json!(["staged.txt", "unpushed"])
        ]
    );
    let differing = json!([{ "path": "src/a.py", "in_what": "contents" }]);
    assert_eq!(compare["differing"], differing);
    assert_eq!(compare["extra"], json!([]));
}

#[test]
fn where_a_push_goes_is_known_or_asked_for() {
    let nia = Person::with_repository();
    nia.writes("a.txt", "x\n");
    commit(&nia, "one");
    let said = nia.redshank(&["outgoing"]);
    assert!(
        said.code == 2 && said.err.contains("git remote add"),
        "{}",
        said.err
    );
    nia.git(&["remote", "add", "a/b", "../x.git"]);
    let json = outgoing(&nia, &["a/b/next"]);
    assert_eq!(
        (&json["remote"], &json["branch"]),
        (&json!("a/b"), &json!("next"))
    );
    assert_eq!(
        (&json["known"], &json["files"][0]["change"]),
        (&Value::Null, &json!("added"))
    );
    let said = nia.redshank(&["outgoing", "b"]);
    assert!(
        said.code == 2 && said.err.contains("there is a/b"),
        "{}",
        said.err
    );
    nia.git(&["remote", "add", "c", "../y.git"]);
    let said = nia.redshank(&["outgoing"]);
    assert!(
        said.code == 2 && said.err.contains("a/b, c"),
        "{}",
        said.err
    );
}

/// The ignored of these by the rules that are on disk, as git says.
fn ignored_by_git(nia: &Person, files: &[&str]) -> Vec<String> {
    let ignored = |file: &&&str| {
        nia.git_says(&["check-ignore", "--no-index", "--quiet", "--", file])
            .code
            == 0
    };
    files
        .iter()
        .filter(ignored)
        .map(|file| (*file).to_owned())
        .collect()
}

#[test]
fn a_change_of_rules_puts_in_and_out_what_git_says() {
    let files = [
        "a.log",
        "build/x.o",
        "build/keep.txt",
        "src/a.py",
        "src/gen/b.py",
        "data/t.csv",
        "data/raw.bin",
        // What holds the rules is there as well, and tracked.
        ".gitignore",
        "data/.gitignore",
    ];
    let sets = [
        [("", "*.log\nbuild/\n"), ("src/", "gen/\n")],
        [
            ("", "*.csv\n!a.log\n/build/*\n!/build/keep.txt\n"),
            ("src/", ""),
        ],
        [("", "data/\n"), ("src/", "*\n!gen/\n")],
        [
            ("", "src/**/b.*\n*.bin\n!data/raw.bin\n"),
            ("data/", "*\n!t.csv\n"),
        ],
    ];
    let nia = Person::with_repository();
    for file in &files[..7] {
        nia.writes(file, "x\n");
    }
    nia.git(&["add", "--force", "src/a.py", "build/keep.txt"]);
    let mut ignored = Vec::new();
    for set in &sets {
        for folder in ["", "src/", "data/"] {
            let _ = std::fs::remove_file(nia.here().join(format!("{folder}.gitignore")));
        }
        for (folder, rules) in set {
            nia.writes(&format!("{folder}.gitignore"), rules);
        }
        ignored.push(ignored_by_git(&nia, &files));
        nia.git(&["add", "--all", "--force", "*.gitignore"]);
        nia.git(&["commit", "--quiet", "--allow-empty", "-m", "rules"]);
    }
    for (from, before) in ignored.iter().enumerate() {
        for (to, after) in ignored.iter().enumerate() {
            let revision = |at: usize| format!("HEAD~{}", sets.len() - 1 - at);
            let range = format!("{}..{}", revision(from), revision(to));
            let review = nia.redshank(&["review", &range, "--format", "json"]).json();
            valid("review", &review);
            let mut newly: Vec<&String> =
                after.iter().filter(|file| !before.contains(file)).collect();
            let mut back: Vec<&String> =
                before.iter().filter(|file| !after.contains(file)).collect();
            newly.sort();
            back.sort();
            // An ignore file that only the later side has is on no disk here.
            let here = |list: &Value| -> Vec<Value> {
                let list = list.as_array().unwrap().iter();
                let here = list.filter(|path| files.contains(&path.as_str().unwrap()));
                here.cloned().collect()
            };
            assert_eq!(json!(here(&review["ignored"])), json!(newly), "{range}");
            assert_eq!(json!(here(&review["included"])), json!(back), "{range}");
            let tracked: Vec<&&String> = newly
                .iter()
                .filter(|file| {
                    let tracked = ["src/a.py", "build/keep.txt"];
                    tracked.contains(&file.as_str()) || file.ends_with(".gitignore")
                })
                .collect();
            assert_eq!(json!(here(&review["tracked"])), json!(tracked), "{range}");
        }
    }
    // On disk, before anything is committed.
    nia.writes(".gitignore", "*\n");
    let said = nia.redshank(&["review"]);
    assert!(
        said.code == 1 && said.out.contains("although tracked"),
        "{}",
        said.out
    );
    let said = nia.redshank(&["review", "nope"]);
    assert!(
        said.code == 2 && said.err.contains("names no commit"),
        "{}",
        said.err
    );
}

#[test]
fn a_push_over_the_limit_is_found_before_it_is_sent() {
    let nia = with_remote();
    nia.writes("redshank.toml", "[limits]\npush = \"20 KiB\"\n");
    commit(&nia, "a limit");
    let rules = |document: &Value| -> Vec<String> {
        let findings = document["findings"].as_array().unwrap().iter();
        findings
            .map(|one| one["rule"].as_str().unwrap().to_owned())
            .collect()
    };
    assert_eq!(rules(&outgoing(&nia, &[])), [""; 0]);
    // What doesn't compress, in two versions of which only the last is small.
    nia.writes("tide.txt", made_up(40_000, 5));
    commit(&nia, "tides");
    nia.writes("tide.txt", "0.4\n");
    commit(&nia, "one tide");
    let sent = outgoing(&nia, &[]);
    assert!(
        sent["bytes"].as_u64().unwrap() > 20 << 10,
        "{}",
        sent["bytes"]
    );
    assert_eq!(rules(&sent), ["oversized/push"]);
    assert_eq!(nia.redshank(&["outgoing"]).code, 1);
}

#[test]
fn every_branch_and_tag_is_looked_at_and_the_remote_is_asked_only_when_told() {
    let nia = with_remote();
    // Somebody else pushes; this clone doesn't know it yet.
    nia.git(&[
        "clone",
        "--quiet",
        "--branch",
        "main",
        "../hub.git",
        "../other",
    ]);
    nia.writes("../other/src/b.py", "print(2)\n");
    nia.git(&["-C", "../other", "add", "--all"]);
    nia.git(&["-C", "../other", "commit", "--quiet", "-m", "b"]);
    nia.git(&["-C", "../other", "push", "--quiet"]);
    let asked = outgoing(&nia, &["--ask-remote"]);
    assert_eq!(
        (&asked["asked"], &asked["unknown"]),
        (&json!(true), &json!(1))
    );
    assert_eq!(asked["known"], Value::Null);
    let said = nia.redshank(&["outgoing", "--ask-remote"]);
    assert!(said.out.contains("isn't here"), "{}", said.out);
    assert_eq!(outgoing(&nia, &[])["asked"], false);
    // Pushed by its address: no reference here says so, and the remote does.
    nia.git(&["pull", "--quiet"]);
    nia.writes("src/c.py", "print(3)\n");
    commit(&nia, "c");
    nia.git(&["push", "--quiet", "../hub.git", "main"]);
    assert_eq!(outgoing(&nia, &[])["commits"], 1);
    assert_eq!(outgoing(&nia, &["--ask-remote"])["commits"], 0);
    // A branch and a tag beside the current one, with a key.
    let key = made_up(32, 5);
    nia.git(&["switch", "--quiet", "--create", "trial"]);
    nia.writes("src/key.py", format!("api_key = '{key}'\n"));
    commit(&nia, "trial");
    nia.git(&["tag", "v1"]);
    nia.git(&["switch", "--quiet", "main"]);
    assert_eq!(outgoing(&nia, &["--ask-remote"])["findings"], json!([]));
    let all = outgoing(&nia, &["--all", "--ask-remote"]);
    assert_eq!(all["commits"], 1);
    assert_eq!(all["files"][0]["path"], "src/key.py");
    assert_eq!(all["findings"][0]["path"], "src/key.py");
    assert!(!all.to_string().contains(&key));
    // An address that starts a program is never asked.
    let ran = nia.here().join("../ran");
    let program = format!("ext::touch {}", ran.display());
    nia.git(&["remote", "set-url", "origin", &program]);
    nia.git(&["config", "protocol.ext.allow", "always"]);
    assert_eq!(nia.redshank(&["outgoing", "--ask-remote"]).code, 2);
    assert!(!ran.exists());
}

#[test]
fn modes_submodules_large_files_and_kinds_of_differences_are_told() {
    let nia = with_remote();
    // A submodule from a remote that others reach, at a commit that only this clone has.
    nia.git(&["init", "--quiet", "--bare", "-b", "main", "../wave.git"]);
    nia.git(&["clone", "--quiet", "../wave.git", "../wave"]);
    let wave = nia.here().join("../wave");
    let in_wave = ["-C", wave.to_str().unwrap()];
    let git = |more: &[&str]| nia.git(&[&in_wave[..], more].concat());
    std::fs::write(wave.join("wave.c"), "int wave;\n").unwrap();
    git(&["add", "--all"]);
    git(&["commit", "--quiet", "-m", "one"]);
    git(&["push", "--quiet", "origin", "HEAD:main"]);
    let allow = ["-c", "protocol.file.allow=always"];
    let add = ["submodule", "--quiet", "add", "../wave.git", "lib/wave"];
    nia.git(&[&allow[..], &add].concat());
    let pointer = |size: u64| {
        let hash = "0".repeat(64);
        format!("version https://git-lfs.github.com/spec/v1\noid sha256:{hash}\nsize {size}\n")
    };
    nia.writes("film/tide.mp4", pointer(7_000_000));
    nia.writes("run.sh", "#!/bin/sh\necho 1\n");
    let set_mode = |mode: u32| {
        use std::os::unix::fs::PermissionsExt;
        let mode = std::fs::Permissions::from_mode(mode);
        std::fs::set_permissions(nia.here().join("run.sh"), mode).unwrap();
    };
    set_mode(0o755);
    commit(&nia, "two");
    // Two MiB that are gone again are sent all the same.
    nia.writes("raw.dat", vec![b'7'; 2 << 20]);
    commit(&nia, "three");
    nia.git(&["rm", "--quiet", "raw.dat"]);
    nia.git(&["commit", "--quiet", "-m", "four"]);
    let json = outgoing(&nia, &[]);
    let of = |path: &str| {
        let mut files = json["files"].as_array().unwrap().iter();
        files.find(|file| file["path"] == path).unwrap().clone()
    };
    assert_eq!(of("run.sh")["mode"], "executable");
    assert_eq!(of("lib/wave")["mode"], "submodule");
    assert_eq!(json["stored"], json!({ "files": 1, "size": 7_000_000 }));
    let largest = &json["largest"][0];
    assert_eq!(
        (&largest["path"], &largest["size"]),
        (&json!("raw.dat"), &json!(2 << 20))
    );
    let text = nia.redshank(&["outgoing"]).out;
    assert!(
        text.contains("an older version of raw.dat is sent") && text.contains("a submodule"),
        "{text}"
    );
    let submodules = |json: &Value| -> Vec<String> {
        let findings = json["findings"].as_array().unwrap().iter();
        let found = findings.filter(|one| one["rule"] == "needed/submodule");
        let found = found.map(|one| one["message"].as_str().unwrap().to_owned());
        found.collect()
    };
    assert_eq!(submodules(&json), Vec::<String>::new());
    let inside = nia.here().join("lib/wave");
    let inside = ["-C", inside.to_str().unwrap()];
    let empty = ["commit", "--quiet", "--allow-empty", "-m", "two"];
    nia.git(&[&inside[..], &empty].concat());
    commit(&nia, "five");
    let found = submodules(&outgoing(&nia, &[]));
    assert!(
        found.len() == 1 && found[0].contains("no remote"),
        "{found:?}"
    );
    nia.git(&[&inside[..], &["push", "--quiet", "origin", "HEAD:main"]].concat());
    assert_eq!(submodules(&outgoing(&nia, &[])), Vec::<String>::new());
    let url = nia.here().join("../wave.git");
    let set = ["config", "--file", ".gitmodules", "submodule.lib/wave.url"];
    nia.git(&[&set[..], &[url.to_str().unwrap()]].concat());
    commit(&nia, "six");
    let found = submodules(&outgoing(&nia, &[]));
    assert!(
        found.len() == 1 && found[0].contains("this machine"),
        "{found:?}"
    );
    // What differs from what others see, and in what.
    nia.git(&["push", "--quiet"]);
    nia.writes("src/a.py", "print(1)\r\n");
    nia.writes(".gitignore", "*.log\n*.csv\n");
    set_mode(0o644);
    let compare = outgoing(&nia, &["--compare"])["compare"].clone();
    let differing = [
        json!({ "path": ".gitignore", "in_what": "contents" }),
        json!({ "path": "run.sh", "in_what": "mode" }),
        json!({ "path": "src/a.py", "in_what": "line-endings" }),
    ];
    assert_eq!(compare["differing"], json!(differing));
}

#[test]
fn what_is_odd_about_an_address_is_told() {
    let nia = with_remote();
    for author in [
        "Nia <nia@tidewatch.example>",
        "Nia <nia@elsewhere.example>",
        "Ola <ola@laptop.local>",
        "Per <you@example.com>",
        "Eva <eva@tidewatch.example>",
    ] {
        let author = format!("--author={author}");
        let commit = ["commit", "--quiet", "--allow-empty", "-m", "x", &author];
        nia.git(&commit);
    }
    let json = outgoing(&nia, &[]);
    let authors = json["authors"].as_array().unwrap().iter();
    let odd: Vec<Value> = authors
        .map(|one| json!([one["email"], one["odd"]]))
        .collect();
    let expected = [
        json!(["eva@tidewatch.example", null]),
        json!(["nia@elsewhere.example", "other-address"]),
        json!(["nia@tidewatch.example", null]),
        json!(["ola@laptop.local", "no-address"]),
        json!(["you@example.com", "made-up"]),
    ];
    assert_eq!(odd, expected);
}

/// One step in the life of a repository and its remote.
#[derive(Debug, Clone)]
enum Step {
    /// A commit that changes a file.
    Commit(u8, u8),
    /// A new branch here, or a change to one.
    Switch(u8),
    /// A merge of a branch.
    Merge(u8),
    /// A tag, with or without a message.
    Tag(bool),
    /// A push of this branch.
    Push,
}

fn step() -> impl Strategy<Value = Step> {
    prop_oneof![
        4 => (0..3_u8, 0..4_u8).prop_map(|(file, text)| Step::Commit(file, text)),
        2 => (0..3_u8).prop_map(Step::Switch),
        1 => (0..3_u8).prop_map(Step::Merge),
        1 => any::<bool>().prop_map(Step::Tag),
        1 => Just(Step::Push),
    ]
}

fn live(nia: &Person, steps: &[Step]) {
    let branch = |nth: &u8| ["main", "side", "late"][usize::from(*nth)];
    for (nth, step) in steps.iter().enumerate() {
        match step {
            Step::Commit(file, text) => {
                nia.writes(&format!("f{file}.txt"), format!("{text}\n"));
                nia.git(&["add", "--all"]);
                let message = format!("{nth}");
                nia.git(&["commit", "--quiet", "--allow-empty", "-m", &message]);
            }
            Step::Switch(to) => {
                let to = branch(to);
                if nia.git_says(&["switch", "--quiet", to]).code != 0 {
                    nia.git(&["switch", "--quiet", "--create", to]);
                }
            }
            Step::Merge(from) => {
                let merge = ["merge", "--quiet", "--no-edit", "-X", "ours", branch(from)];
                nia.git_says(&merge);
            }
            Step::Tag(true) => {
                let name = format!("v{nth}");
                nia.git(&["tag", "--annotate", &name, "--message", "a tag"]);
            }
            Step::Tag(false) => {
                nia.git(&["tag", &format!("v{nth}")]);
            }
            Step::Push => {
                nia.git(&["push", "--quiet", "--set-upstream", "origin", "HEAD"]);
            }
        }
    }
}

/// How many objects git would send: of what a dry push says it would update.
fn sent_by_git(nia: &Person, push: &[&str]) -> usize {
    let dry = ["push", "--dry-run", "--porcelain", "origin"];
    let said = nia.git(&[&dry[..], push].concat()).out;
    // FLAG TAB FROM:TO TAB SUMMARY
    let rows = said.lines().filter(|row| !row.starts_with('='));
    let from = rows.filter_map(|row| row.split('\t').nth(1)?.split(':').next());
    let from: Vec<&str> = from.collect();
    if from.is_empty() {
        return 0;
    }
    let list = ["rev-list", "--objects"];
    let not = ["--not", "--remotes=origin"];
    let listed = nia.git(&[&list[..], &from, &not].concat()).out;
    listed.lines().count()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    #[test]
    fn what_goes_out_is_what_git_would_push(steps in proptest::collection::vec(step(), 1..14)) {
        let nia = with_remote();
        live(&nia, &steps);
        let current = nia.git(&["branch", "--show-current"]).out;
        let head = format!("origin/{}", current.trim());
        let one = outgoing(&nia, &[&head]);
        prop_assert_eq!(&one["objects"], sent_by_git(&nia, &["HEAD"]));
        let all = outgoing(&nia, &[&head, "--all"]);
        let branches = sent_by_git(&nia, &["--all"]);
        let tags = sent_by_git(&nia, &["--tags"]);
        let both = all["objects"].as_u64().unwrap() as usize;
        // Branches and tags have objects in common.
        prop_assert!(both >= branches.max(tags) && both <= branches + tags, "{both} {branches} {tags}");
        // Once it is sent, nothing is left.
        nia.git(&["push", "--quiet", "origin", "--all"]);
        nia.git(&["push", "--quiet", "origin", "--tags"]);
        let left = outgoing(&nia, &[&head, "--all", "--ask-remote"]);
        prop_assert_eq!((&left["commits"], &left["objects"]), (&json!(0), &json!(0)));
    }
}

/// Lines of an ignore file, of all kinds.
fn rules() -> impl Strategy<Value = String> {
    let lines = [
        "*.log",
        "!a.log",
        "build/",
        "/build/*",
        "!/build/keep.txt",
        "src/**/b.*",
        "gen",
        "!gen/",
        "data/*.csv",
        "*",
        "!*/",
        "!*.py",
        "\\#x",
        "# x",
        "[ab].*",
        "**/raw.bin",
        "data",
        "",
    ];
    let lines = proptest::sample::select(lines.to_vec());
    let lines = proptest::collection::vec(lines, 0..5);
    lines.prop_map(|lines| lines.iter().map(|line| format!("{line}\n")).collect())
}

/// What three ignore files hold: at the top, in `src/` and in `data/`.
fn rule_set() -> impl Strategy<Value = [String; 3]> {
    [rules(), rules(), rules()]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn a_random_change_of_rules_does_what_git_says(sets in [rule_set(), rule_set()]) {
        let files = [
            "a.log", "build/x.o", "build/keep.txt", "src/a.py", "src/gen/b.py", "data/t.csv",
            "data/raw.bin", "data/deep/a.log",
        ];
        let nia = Person::with_repository();
        for file in files {
            nia.writes(file, "x\n");
        }
        let mut ignored = Vec::new();
        for set in &sets {
            for (folder, rules) in ["", "src/", "data/"].iter().zip(set) {
                nia.writes(&format!("{folder}.gitignore"), rules);
            }
            ignored.push(ignored_by_git(&nia, &files));
            nia.git(&["add", "--all", "--force", "*.gitignore"]);
            nia.git(&["commit", "--quiet", "--allow-empty", "-m", "rules"]);
        }
        let said = nia.redshank(&["review", "HEAD~1..HEAD", "--format", "json"]);
        let review = said.json();
        let moved = |list: &str, from: &[String], to: &[String]| -> (Vec<String>, Vec<String>) {
            let list = review[list].as_array().unwrap().iter();
            let list = list.map(|path| path.as_str().unwrap().to_owned());
            let mut said: Vec<String> =
                list.filter(|path| files.contains(&path.as_str())).collect();
            let mut git: Vec<String> =
                to.iter().filter(|path| !from.contains(path)).cloned().collect();
            said.sort();
            git.sort();
            (said, git)
        };
        let (said, git) = moved("ignored", &ignored[0], &ignored[1]);
        prop_assert_eq!(said, git);
        let (said, git) = moved("included", &ignored[1], &ignored[0]);
        prop_assert_eq!(said, git);
    }
}
