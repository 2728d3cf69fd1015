//! Settings in which a path of one person's machine is.

use crate::{ByHand, Cause, Evidence, Finding, Level};
use bstr::ByteSlice;
use redshank_rules::PatternSet;
use redshank_secrets::by_place;
use redshank_worktree::Class;
use redshank_worktree::tree::Entry;
use regex::bytes::Regex;
use std::sync::LazyLock;

/// Settings that programs read, of which a path of one machine makes a personal file.
static SETTINGS: LazyLock<PatternSet> = LazyLock::new(|| {
    let names = [
        "*.ini",
        "*.cfg",
        "*.conf",
        "*.toml",
        "*.json",
        "*.yml",
        "*.yaml",
        "*.properties",
        "*.props",
        "*.xml",
    ];
    let without = [
        "!*.lock",
        "!package-lock.json",
        "!*.example*",
        "!*.sample*",
        "!*.schema.json",
        "!**/fixtures/**",
        "!**/testdata/**",
    ];
    names
        .iter()
        .chain(&without)
        .map(ToString::to_string)
        .collect::<Vec<_>>()
        .into()
});

/// A home folder of somebody who has a name.
static HOME: LazyLock<Option<Regex>> = LazyLock::new(|| {
    Regex::new(r#"(?-u)(?:^|["'=:\s(])(?:/home/|/Users/|[A-Za-z]:\\{1,2}Users\\{1,2})(?P<who>[A-Za-z][\w.-]*)[/\\]"#)
        .ok()
});

/// Names that stand for anybody, for a service or for a system's own user.
const NOBODY: [&str; 61] = [
    "user",
    "username",
    "users",
    "you",
    "your",
    "yourname",
    "me",
    "myuser",
    "name",
    "example",
    "runner",
    "vscode",
    "node",
    "ubuntu",
    "debian",
    "app",
    "appuser",
    "git",
    "jovyan",
    "vagrant",
    "circleci",
    "travis",
    "build",
    "shared",
    "public",
    "default",
    "jenkins",
    "gitlab-runner",
    "coder",
    "dev",
    "developer",
    "admin",
    "pi",
    "ec2-user",
    "centos",
    "azureuser",
    "opc",
    "steam",
    "www",
    "www-data",
    "service",
    "linuxbrew",
    "container",
    "docker",
    "root",
    "test",
    "tester",
    "foo",
    "bar",
    "alice",
    "bob",
    "john",
    "jane",
    "doe",
    "johndoe",
    "somebody",
    "someone",
    "nobody",
    "worker",
    "builder",
    "ci",
];

/// The finding on a file in whose start a path of one machine is.
pub(super) fn finding(entry: &Entry, head: &[u8]) -> Option<Finding> {
    if !SETTINGS.has(&entry.path) || !(head.contains_str("/home/") || head.contains_str("Users")) {
        return None;
    }
    if by_place(&entry.path).is_some() {
        return None;
    }
    let at = home_path_in(head)?;
    let line = head[..at].find_iter("\n").count() as u64 + 1;
    let cause = Cause::MachinePath;
    Some(
        Finding::on(entry, Class::Personal, "machine-path", Level::Note, cause)
            .at_line(line)
            .with_evidence(Evidence::HomeFolder)
            .by_hand(ByHand::MakePathRelative),
    )
}

/// Where the name of a home folder's owner is in a text; names that stand for anybody don't count.
pub(crate) fn home_path_in(text: &[u8]) -> Option<usize> {
    let is_somebody = |who: &[u8]| {
        !who.ends_with(b"user")
            && !NOBODY
                .iter()
                .any(|nobody| who.eq_ignore_ascii_case(nobody.as_bytes()))
    };
    let mut found = HOME.as_ref()?.captures_iter(text);
    found.find_map(|found| {
        let who = found.name("who")?;
        is_somebody(who.as_bytes()).then_some(who.start())
    })
}
