//! What one command opens: everything once, as the kernel and git itself tell it.

use crate::common::Person;
use inotify::{Inotify, WatchMask};
use std::collections::BTreeMap;

/// How often each of these files is opened while something runs, by the kernel's count.
fn opened(nia: &Person, paths: &[&str], run: impl FnOnce()) -> BTreeMap<String, usize> {
    let mut kernel = Inotify::init().unwrap();
    let mut names = BTreeMap::new();
    for path in paths {
        let watch = kernel
            .watches()
            .add(nia.here().join(path), WatchMask::OPEN)
            .unwrap();
        names.insert(watch.get_watch_descriptor_id(), (*path).to_owned());
    }
    run();
    let mut counts: BTreeMap<String, usize> = BTreeMap::new();
    let mut buffer = [0; 1 << 16];
    while let Ok(events) = kernel.read_events(&mut buffer) {
        for event in events {
            let name = &names[&event.wd.get_watch_descriptor_id()];
            *counts.entry(name.clone()).or_default() += 1;
        }
    }
    counts
}

/// The calls of git, each with all its words, as git traces them.
fn asked_of_git(trace: &str) -> Vec<String> {
    let events = trace
        .lines()
        .map(|line| serde_json::from_str(line).unwrap());
    let starts = events.filter(|event: &serde_json::Value| event["event"] == "start");
    starts.map(|event| event["argv"].to_string()).collect()
}

#[test]
fn a_command_opens_everything_once_and_asks_git_everything_once() {
    let nia = Person::with_repository();
    nia.writes("Cargo.toml", "[package]\nname = 'gauge'\n");
    nia.writes("src/main.rs", "fn main() {}\n");
    nia.writes(".gitignore", "*.log\n/out/*\n!/out/keep\n");
    nia.writes("src/.gitignore", "*.tmp\n");
    nia.writes(
        "redshank.toml",
        "visibility = 'public'\n[[expect]]\npattern = '*.rs'\nstate = 'kept'\n",
    );
    nia.git(&["add", "."]);
    nia.git(&["commit", "-qm", "x"]);
    nia.writes("target/debug/gauge.d", "");
    nia.writes("target/CACHEDIR.TAG", "");
    nia.writes(".env", "PORT=1\n");
    nia.writes("out/x.bin", "");
    nia.writes("src/x.log", "");
    let once = [
        ".git/index",
        "redshank.toml",
        ".gitignore",
        "src/.gitignore",
    ];
    for words in [
        &["survey"][..],
        &["check"],
        &["check", "--ignored"],
        &["tidy"],
        &["tidy", "--remove"],
        &["draft"],
        &["draft", "--refresh", "--format", "json"],
        &["rules"],
        &["why", "src/x.log", "src/y.tmp", "a/b"],
        &["try", "*.bin"],
        &["try", "*.bin", "--on", "src/x.bin"],
        &["prove"],
        &["prove", "--record"],
        &["files", "--state", "candidate,ignored,tracked"],
        &["files", "--tree"],
        &["add", "*.bin"],
        &["add", "--like", "out/x.bin"],
        &["drop", "*.log"],
    ] {
        let trace = nia.here().join("../trace");
        let _ = std::fs::remove_file(&trace);
        let mut told = nia.again();
        told.sets("GIT_TRACE2_EVENT", trace.clone());
        let counts = opened(&nia, &once, || {
            let said = told.redshank(words);
            assert!(said.code < 2, "{words:?}: {}", said.err);
        });
        for (path, count) in counts {
            assert_eq!(count, 1, "{words:?} opens {path}");
        }
        let mut asked = asked_of_git(&std::fs::read_to_string(&trace).unwrap());
        let all = asked.len();
        asked.sort();
        asked.dedup();
        assert_eq!(asked.len(), all, "{words:?} asks git twice: {asked:#?}");
    }
}
