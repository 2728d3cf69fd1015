//! Attacks with foreign programs, endless work, and text that does things to a terminal.

use crate::common::{Person, made_up};
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::{PermissionsExt, symlink};

const TIDY: [&str; 3] = ["tidy", "--apply", "--yes"];

/// Every command that calls git, on a repository with something to do.
const COMMANDS: &[&[&str]] = &[
    &["survey"],
    &["check"],
    &["check", "--staged"],
    &["check", "--history"],
    &["files"],
    &["files", "--state", "tracked", "-z"],
    &["rules"],
    &["why", "uplink.log"],
    &["try", "*.log"],
    &["draft", "--write", "--yes"],
    &["mute", "README"],
    &["mute", "--list"],
    &["unmute", "README"],
    &["rehearse"],
    &["rehearse", "--", "true"],
    &["hook", "on", "--yes"],
    &["hook", "off", "--yes"],
    &["tidy"],
    &TIDY,
    &["undo", "--yes"],
    &["undo", "--forget", "--yes"],
];

/// A repository with commits, staged changes, attributes, a merge in its history, and something to
/// tidy.
fn with_everything() -> Person {
    let nia = Person::with_repository();
    nia.writes("README", "tides\n");
    nia.writes("data.bin", "1\n");
    nia.writes(".gitattributes", "*.bin filter=mark diff=mark merge=mark\n");
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "-qm", "start"]);
    nia.git(&["update-ref", "refs/remotes/origin/main", "HEAD"]);
    nia.git(&["config", "remote.origin.url", "ext::sh -c touch%20ran"]);
    nia.git(&[
        "config",
        "remote.origin.fetch",
        "+refs/heads/*:refs/remotes/origin/*",
    ]);
    nia.git(&["branch", "-q", "--set-upstream-to", "origin/main"]);
    nia.writes("uplink.log", "1\n");
    nia.writes("README", "tides and more\n");
    nia.writes("data.bin", "2\n");
    nia.git(&["add", "--all"]);
    nia.writes("data.bin", "3\n");
    nia
}

#[test]
fn no_program_runs_that_the_repositorys_configuration_names() {
    let keys: &[&str] = &[
        "core.fsmonitor",
        "core.sshCommand",
        "core.gitProxy",
        "core.askPass",
        "core.pager",
        "pager.log",
        "pager.diff",
        "core.editor",
        "sequence.editor",
        "core.alternateRefsCommand",
        "credential.helper",
        "gpg.program",
        "gpg.ssh.program",
        "gpg.ssh.defaultKeyCommand",
        "diff.external",
        "diff.mark.command",
        "diff.mark.textconv",
        "merge.mark.driver",
        "filter.mark.clean",
        "filter.mark.smudge",
        "filter.mark.process",
        "interactive.diffFilter",
        "uploadpack.packObjectsHook",
        "remote.origin.uploadpack",
        "remote.origin.receivepack",
        "trailer.mark.command",
        "trailer.mark.cmd",
        "alias.rev-parse",
        "alias.status",
        "hook.mark.command",
        "gc.recentObjectsHook",
        "init.templateDir",
        "core.hooksPath",
    ];
    let nia = with_everything();
    // Nothing of a run that is only to look differs.
    let marker = nia.here().join("../ran");
    nia.writes(
        "../mark",
        format!("#!/bin/sh\necho \"$0 $*\" >> {}\ncat\n", marker.display()),
    );
    let mark = nia.here().join("../mark").canonicalize().unwrap();
    std::fs::set_permissions(&mark, std::fs::Permissions::from_mode(0o755)).unwrap();
    let hooks = "pre-commit post-index-change reference-transaction post-checkout pre-auto-gc fsmonitor-watchman";
    for hook in hooks
        .split(' ')
        .map(|hook| format!(".git/hooks/{hook}"))
        .chain(["../templates/hooks/post-checkout".into()])
    {
        nia.writes(
            &hook,
            format!("#!/bin/sh\necho \"$0 $*\" >> {}\n", marker.display()),
        );
        std::fs::set_permissions(
            nia.here().join(&hook),
            std::fs::Permissions::from_mode(0o755),
        )
        .unwrap();
    }
    std::fs::create_dir_all(nia.here().join("../hooks")).unwrap();
    for key in keys {
        let value = match *key {
            "core.hooksPath" => nia.here().join(".git/hooks"),
            "init.templateDir" => nia.here().join("../templates"),
            key if key.starts_with("alias.") => format!("!{}", mark.display()).into(),
            _ => mark.clone(),
        };
        nia.git(&["config", key, value.to_str().unwrap()]);
    }
    for (key, value) in [
        ("log.showSignature", "true"),
        ("commit.gpgSign", "true"),
        ("hook.mark.event", "post-index-change"),
        ("filter.mark.required", "true"),
        ("protocol.ext.allow", "always"),
        ("protocol.allow", "always"),
        ("remote.origin.promisor", "true"),
        ("remote.origin.partialCloneFilter", "blob:none"),
        ("extensions.partialClone", "origin"),
        ("core.repositoryFormatVersion", "1"),
    ] {
        nia.git(&["config", key, value]);
    }
    // A commit with a signature that git would show, and contents that git would fetch.
    let tree = nia.git(&["rev-parse", "HEAD^{tree}"]).out;
    let who = "Nia <nia@tidewatch.example> 1700000000 +0000";
    let signed = format!(
        "tree {}\nparent {}\nauthor {who}\ncommitter {who}\ngpgsig -----BEGIN PGP SIGNATURE-----\n \n -----END PGP SIGNATURE-----\n\nsigned\n",
        tree.trim(),
        nia.git(&["rev-parse", "HEAD"]).out.trim()
    );
    nia.writes("../signed", signed);
    let _ = std::fs::remove_file(&marker);
    let commit = nia
        .git(&["hash-object", "-t", "commit", "-w", "../signed"])
        .out;
    nia.writes(".git/refs/heads/main", commit);
    let missing = nia.git(&["rev-parse", "HEAD:data.bin"]).out;
    let missing = missing.trim();
    std::fs::remove_file(nia.here().join(format!(
        ".git/objects/{}/{}",
        &missing[..2],
        &missing[2..]
    )))
    .unwrap();
    let _ = std::fs::remove_file(&marker);
    for words in COMMANDS {
        let said = nia.redshank(words);
        assert!(
            !marker.exists(),
            "{words:?} ran {}",
            std::fs::read_to_string(&marker).unwrap()
        );
        assert!(
            said.code < 2 || said.err.contains("contents") || said.err.contains("git refused"),
            "{words:?}: {}",
            said.err
        );
    }
    // What a person has set for themselves is theirs: their own filter runs where git would run it.
    nia.git(&[
        "config",
        "--global",
        "filter.mark.clean",
        mark.to_str().unwrap(),
    ]);
    nia.redshank(&["rehearse"]);
    assert!(marker.exists());
}

#[test]
fn a_fifo_in_the_place_of_any_file_is_passed_over() {
    // Those that can't be done without are alone; the others must be in nobody's way together.
    let others = [
        "package.json",
        ".env",
        ".gitignore",
        ".gitingore",
        "sub/.git",
        ".git/info/exclude",
        ".git/redshank/journal/000001/record.json",
        ".git/redshank/last-run",
        ".git/hooks/pre-commit",
        "id_rsa",
    ];
    let alone = [
        "redshank.toml",
        ".redshank/templates/x.toml",
        ".gitattributes",
        "sub/.gitattributes",
        ".git/info/attributes",
    ];
    for paths in [&others[..]]
        .into_iter()
        .chain(alone.iter().map(std::slice::from_ref))
    {
        let nia = Person::with_repository();
        nia.writes("uplink.log", "1\n");
        nia.writes("sub/table.csv", "1\n");
        nia.writes("tsconfig.json", "{\"extends\": \"./package.json\"}");
        for path in paths {
            let at = nia.here().join(path);
            std::fs::create_dir_all(at.parent().unwrap()).unwrap();
            let _ = std::fs::remove_file(&at);
            assert_eq!(nia.runs("mkfifo", &[at.to_str().unwrap()]).code, 0);
        }
        for words in COMMANDS {
            let said = nia.redshank_within(2 << 30, words);
            assert!(
                said.code >= 0 && said.code < 100,
                "{paths:?}: {words:?} ended with {}",
                said.code
            );
        }
    }
}

#[test]
fn deep_nesting_ends_in_an_answer() {
    let nia = Person::with_repository();
    for (name, open) in [
        ("package.json", "{\"workspaces\":["),
        ("tsconfig.json", "[{\"references\":"),
        ("Cargo.toml", "a = ["),
        ("pyproject.toml", "[[[["),
        (".redshank/templates/deep.toml", "[[[["),
        ("composer.json", "{\"a\":"),
    ] {
        nia.writes(name, open.repeat(200_000));
    }
    for words in [
        &["rehearse"][..],
        &["survey"],
        &["check"],
        &["tidy"],
        &["templates"],
    ] {
        assert!((0..3).contains(&nia.redshank(words).code), "{words:?}");
    }
    nia.writes("redshank.toml", format!("a = {}", "[".repeat(200_000)));
    assert_eq!(nia.redshank(&["check"]).code, 2);
}

#[test]
fn a_rehearsal_works_wherever_the_repository_lies() {
    for name in [&b"a:b"[..], b"c\"d\\e", b"f\xffg", b"h\ni", b"j k'l"] {
        let mut nia = Person::new();
        let folder = nia.here().join(OsStr::from_bytes(name));
        std::fs::create_dir_all(&folder).unwrap();
        nia.stands_in(&folder);
        nia.git(&["init", "-q"]);
        nia.writes("README", "tides\n");
        nia.git(&["add", "--all"]);
        nia.writes("later", "1\n");
        let said = nia
            .redshank(&["rehearse", "--", "git", "status", "--porcelain"])
            .fine();
        assert!(said.out.contains("2 files"), "{name:?}: {}", said.out);
        nia.redshank(&TIDY).fine();
    }
}

#[test]
fn a_long_line_ends_in_an_answer() {
    // What it takes beside short lines is measured in benches/endless.py; here it must only not go
    // on forever.
    let nia = Person::with_repository();
    for (nth, unit) in [
        "--password=\"x",
        "token=\"x",
        "secret_",
        "fm2_",
        "password = ",
        "://a:b@",
    ]
    .iter()
    .enumerate()
    {
        nia.writes(&format!("{nth}/.env"), unit.repeat((1 << 20) / unit.len()));
    }
    nia.git(&["add", "--all"]);
    assert!((0..2).contains(&nia.redshank_within(4 << 30, &["check", "--staged"]).code));
}

#[test]
fn many_rules_and_endless_ones_end_in_an_answer() {
    let nia = Person::with_repository();
    nia.writes("uplink.log", "1\n");
    let rules: String = (0..10_000)
        .map(|nth| format!("/folder{nth}/part\n*.kind{nth}\nname{nth}/\n"))
        .collect();
    nia.writes(".gitignore", rules);
    assert!((0..2).contains(&nia.redshank_within(4 << 30, &["check"]).code));
    for unit in ["a?", "[a]", "**/", "\\a", "x"] {
        nia.writes(".gitignore", unit.repeat((6 << 20) / unit.len()));
        for words in [&["check"][..], &["rules"], &["files"]] {
            let said = nia.redshank_within(1 << 30, words);
            assert!(
                (0..2).contains(&said.code),
                "{unit}: {words:?} ended with {}",
                said.code
            );
            assert!(
                said.out.len() < 1 << 20,
                "{unit}: {words:?} printed {} bytes",
                said.out.len()
            );
        }
    }
}

#[test]
fn nothing_that_is_printed_moves_the_cursor_or_turns_the_text() {
    let nasty = "\u{1b}]0;x\u{7}\u{1b}[2J\u{9b}31m\u{202e}\u{2066}\u{feff}\u{7f}";
    let nia = Person::with_repository();
    nia.writes(&format!("x{nasty}.log"), "1\n");
    nia.writes(
        &format!("d{nasty}/.env"),
        format!("UPLINK_PASSWORD={}\n", made_up(20, 7)),
    );
    nia.writes("a.log", "1\n");
    nia.git(&["add", "--all"]);
    nia.writes(".gitignore", format!("*.log # {nasty}\n!{nasty}\n"));
    symlink(format!("/srv/{nasty}"), nia.here().join("link")).unwrap();
    let harmless = |text: &str, what: &str| {
        let bad = text.chars().find(|c| {
            c.is_control() && *c != '\n' && *c != '\t'
                || matches!(c, '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{feff}')
        });
        assert_eq!(bad, None, "{what}: {text:?}");
    };
    let commands: &[&[&str]] = &[
        &["survey"],
        &["check", "-v"],
        &["check", "--format", "json"],
        &["check", "--format", "jsonl"],
        &["check", "--format", "sarif"],
        &["rules"],
        &["rules", "--format", "json"],
        &["files"],
        &["files", "--tree"],
        &["prove"],
        &["prove", "--format", "junit"],
        &["templates", "x"],
        &["templates", "test"],
        &["tidy"],
        &["tidy", "--format", "json"],
        &["rehearse"],
        &["why", "a.log"],
        &["mute", "--list"],
        &TIDY,
        &["undo", "--list"],
    ];
    let all = |when: &str| {
        for words in commands {
            let said = nia.redshank(words);
            harmless(&said.out, &format!("{when}: {words:?}"));
            harmless(&said.err, &format!("{when}: {words:?}"));
        }
    };
    all("names");
    let escaped = nasty
        .chars()
        .map(|c| format!("\\u{:04X}", u32::from(c)))
        .collect::<String>();
    nia.writes("redshank.toml", format!("visibility = \"{nasty}\"\n"));
    all("settings that are none");
    nia.writes(
        "redshank.toml",
        format!(
            "[[expect]]\npath = \"a{escaped}.log\"\nstate = \"tracked\"\nbecause = \"{escaped}\"\n"
        ),
    );
    let template = format!(
        "name = 'x'\ntitle = \"{escaped}\"\nrevision = 1\ngroup = 'tool'\n[[recognise]]\nfile = 'a.log'\n"
    );
    nia.writes(".redshank/templates/x.toml", &template);
    all("expectations and titles");
    nia.writes(
        ".redshank/templates/x.toml",
        format!("{template}\"{escaped}\" = 1\n{nasty}"),
    );
    all("templates that are none");
    // JUnit stays XML, whatever is in it.
    let said = nia.redshank(&["prove", "--format", "junit"]);
    if said.code < 2 {
        nia.writes("junit.xml", &said.out);
        let read = "import sys, xml.dom.minidom; xml.dom.minidom.parse('junit.xml')";
        assert_eq!(nia.runs("python3", &["-c", read]).code, 0, "{}", said.out);
    }
    // A suggested command does what it says, whatever the name.
    let nia = Person::with_repository();
    nia.writes("a'; touch ran; '.log", "1\n");
    let said = nia.redshank(&["mute", "a'; touch ran; '.log"]);
    let command = said
        .err
        .split("`redshank ")
        .nth(1)
        .unwrap()
        .split('`')
        .next()
        .unwrap()
        .to_owned();
    nia.runs("bash", &["-c", &format!("true {command}")]);
    assert!(!nia.here().join("ran").exists(), "{command}");
}
