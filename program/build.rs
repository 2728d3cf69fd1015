//! Which commit the program is made from, and how, for `--version`. Outside a repository, and
//! without a release's word, none.

use std::process::Command;

fn main() {
    println!("cargo::rerun-if-changed=build.rs");
    // A path that doesn't exist would make every build run this again.
    for log in ["../.git/HEAD", "../.git/logs/HEAD"] {
        if std::path::Path::new(log).exists() {
            println!("cargo::rerun-if-changed={log}");
        }
    }
    let rustc = std::env::var("RUSTC").unwrap_or_default();
    let version = says(&rustc, &["--version"]);
    // A release's sources have no repository; they say it in a file.
    let commit = std::fs::read_to_string("commit");
    let commit = commit.unwrap_or_else(|_| says("git", &["log", "-1", "--format=%h of %cs"]));
    let commit = commit.trim();
    let target = std::env::var("TARGET").unwrap_or_default();
    let level = std::env::var("OPT_LEVEL").unwrap_or_default();
    let built = format!("{target}, optimised {level}, {version}");
    println!("cargo::rustc-env=BUILT_FROM={commit}");
    println!("cargo::rustc-env=BUILT_HOW={built}");
}

/// What a program says in one line; nothing if it can't.
fn says(program: &str, words: &[&str]) -> String {
    let ran = Command::new(program).args(words).output();
    let said = ran.ok().filter(|ran| ran.status.success());
    let text = said.and_then(|ran| String::from_utf8(ran.stdout).ok());
    text.unwrap_or_default().trim().to_owned()
}
