//! Attacks on the promise that nothing outside the repository is read or written because the
//! repository says so, and that no secret gets out.

use crate::common::{Person, made_up};
use std::os::unix::fs::{PermissionsExt, symlink};
use std::path::{Path, PathBuf};

const TIDY: [&str; 3] = ["tidy", "--apply", "--yes"];

/// A folder beside the repository, and all that is in it.
fn victim(nia: &Person) -> PathBuf {
    let victim = nia.here().join("../victim");
    std::fs::create_dir_all(&victim).unwrap();
    std::fs::write(
        victim.join("notes.log"),
        format!("password = {}\n", made_up(24, 5)),
    )
    .unwrap();
    std::fs::write(victim.join(".bash_profile"), "mine\n").unwrap();
    victim.canonicalize().unwrap()
}

fn everything(folder: &Path) -> Vec<(PathBuf, Vec<u8>)> {
    let mut found: Vec<_> = std::fs::read_dir(folder)
        .unwrap()
        .map(|entry| entry.unwrap().path())
        .map(|path| (path.clone(), std::fs::read(&path).unwrap_or_default()))
        .collect();
    found.sort();
    found
}

/// The text of a record with a path in it, as this program writes them, without a seal or with a
/// made-up one.
fn record(state: &str, path: &str, area: &str, seal: &str) -> String {
    let bytes = format!("{:?}", path.as_bytes());
    let nothing = "\"before\":\"nothing\"";
    let after = blake(b"evil\n");
    format!(
        "{{\"seal\":{seal},\"record\":{{\"schema\":\"redshank.journal/2\",\"command\":\"tidy\",\"time\":1,\"state\":\"{state}\",\
         \"files\":[{{\"area\":\"{area}\",\"path\":{bytes},{nothing},\"after\":\"{after}\",\"original\":null,\"beside\":false}}],\
         \"moved\":[],\"index\":null}}}}"
    )
}

fn blake(bytes: &[u8]) -> String {
    blake3::hash(bytes).to_hex().to_string()
}

#[test]
fn a_record_that_somebody_sent_along_is_never_acted_on_unasked() {
    for (nth, path) in [
        "../victim/.bash_profile",
        "/tmp/x",
        "a/../../victim/.bash_profile",
        ".git/config",
        "README",
    ]
    .into_iter()
    .enumerate()
    {
        let nia = Person::with_repository();
        let victim = victim(&nia);
        let before = everything(&victim);
        nia.writes("README", "evil\n");
        nia.writes("uplink.log", "1\n");
        let seal = if nth % 2 == 0 {
            "null".to_owned()
        } else {
            format!("\"{}\"", blake(b"guess"))
        };
        nia.writes(
            ".git/redshank/journal/000001/record.json",
            record("begun", path, "worktree", &seal),
        );
        nia.writes(".git/redshank/journal/000001/file-0", "evil\n");
        // At a terminal, too, where it would be undone before anything else.
        nia.redshank_at_a_terminal("tidy", &[("Do it?", "\r")]);
        nia.redshank(&["add", "*.tmp", "--write"]).fine();
        assert_eq!(nia.reads("README"), b"evil\n");
        // By its number it is, and only beneath the top; what it says of git's folder, or outside,
        // is refused.
        let said = nia.redshank(&["undo", "1", "--yes"]);
        assert_eq!(
            (said.code == 0, nia.here().join("README").exists()),
            (path == "README", path != "README"),
            "{path}"
        );
        assert_eq!(everything(&victim), before, "{path}");
        nia.git(&["status"]);
        // Its own way of going on isn't blocked by it.
        nia.redshank(&TIDY).fine();
        nia.redshank(&["undo", "--yes"]).fine();
    }
    // A hook is a program: somebody else's record never puts one there, not even by its number.
    let nia = Person::with_repository();
    nia.writes(
        ".git/redshank/journal/000001/record.json",
        record("done", "hooks/pre-commit", "git", "null"),
    );
    nia.writes(".git/hooks/pre-commit", "evil\n");
    let said = nia.redshank(&["undo", "1", "--yes"]);
    assert!(
        said.code == 2 && said.err.contains("not sealed with your key"),
        "{}",
        said.err
    );
    assert!(nia.here().join(".git/hooks/pre-commit").exists());
    // One in an unknown form is in nobody's way.
    nia.writes(
        ".git/redshank/journal/000001/record.json",
        "{\"schema\":\"redshank.journal/1\"}",
    );
    nia.redshank(&["add", "*.tmp", "--write"]).fine();
    nia.redshank(&["undo", "--yes"]).fine();
}

#[test]
fn a_seal_holds_for_one_person_and_their_record_only() {
    let mut nia = Person::with_repository();
    nia.redshank(&["add", "*.tmp", "--write"]).fine();
    let path = ".git/redshank/journal/000001/record.json";
    let text = String::from_utf8(nia.reads(path)).unwrap();
    assert!(text.contains("\"seal\":\""), "{text}");
    let key = nia.home().join(".local/state/redshank/journal.key");
    assert_eq!(
        std::fs::metadata(&key).unwrap().permissions().mode() & 0o777,
        0o600
    );
    nia.writes(path, text.replace("\"add\"", "\"bad\""));
    assert!(
        nia.redshank(&["undo", "--yes"])
            .err
            .contains("not sealed with your key")
    );
    nia.writes(path, &text);
    // On another machine, the same repository: only by its number.
    nia.sets("HOME", nia.home().join("other"));
    assert!(
        nia.redshank(&["undo", "--yes"])
            .err
            .contains("redshank undo 1")
    );
    nia.redshank(&["undo", "1", "--yes"]).fine();
    assert!(!nia.here().join(".gitignore").exists());
}

#[test]
fn nothing_is_written_moved_or_read_through_a_linked_folder() {
    let nia = Person::with_repository();
    let victim = victim(&nia);
    std::fs::create_dir_all(victim.join("target")).unwrap();
    std::fs::write(victim.join(".gitingore"), "*.log\n").unwrap();
    let before = everything(&victim);
    for path in [
        "d/.gitingore",
        "d/notes.log",
        "d/Cargo.toml",
        "d/target/app",
        "d/.gitattributes",
        "d/.env",
    ] {
        nia.writes(path, "UPLINK=1\n");
    }
    nia.git(&["add", "--all"]);
    std::fs::remove_dir_all(nia.here().join("d")).unwrap();
    symlink(&victim, nia.here().join("d")).unwrap();
    for words in [
        &TIDY[..],
        &["tidy", "--remove", "--apply", "--yes"],
        &["draft", "--write", "--yes"],
    ] {
        let said = nia.redshank(words);
        assert!(
            !format!("{}{}", said.out, said.err).contains(&made_up(24, 5)),
            "{words:?}"
        );
        assert_eq!(everything(&victim), before, "{words:?}");
    }
    for words in [
        &["add", "*.x", "--in", "d", "--write"][..],
        &["add", "--contents-of", "d", "--write"],
    ] {
        assert_eq!(nia.redshank(words).code, 2, "{words:?}");
    }
    let said = nia.redshank(&["check", "--format", "json"]);
    assert!(!said.out.contains(&made_up(24, 5)[..4]), "{}", said.out);
    assert_eq!(everything(&victim), before);
}

#[test]
fn linked_files_of_rules_and_settings_are_said_and_not_read() {
    for name in [
        "redshank.toml",
        ".gitattributes",
        ".gitingore",
        ".gitignore",
        ".env",
        ".redshank/templates/x.toml",
    ] {
        for target in ["../victim/notes.log", "/proc/self/environ", "/dev/zero"] {
            let nia = Person::with_repository();
            victim(&nia);
            nia.writes("model.bin", vec![7; 11 << 20]);
            nia.writes("uplink.log", "1\n");
            std::fs::create_dir_all(nia.here().join(name).parent().unwrap()).unwrap();
            let target = if target.starts_with("..") && name.contains('/') {
                format!("../../{target}")
            } else {
                target.to_owned()
            };
            symlink(&target, nia.here().join(name)).unwrap();
            for words in [
                &["check"][..],
                &["rules"],
                &["prove"],
                &["draft", "--write", "--yes"],
                &TIDY,
            ] {
                let said = nia.redshank_within(600 << 20, words);
                let text = format!("{}{}", said.out, said.err);
                assert!(
                    said.code >= 0,
                    "{name} -> {target}: {words:?} was killed: {text}"
                );
                assert!(
                    !text.contains(&made_up(24, 5)) && !text.contains("HOME="),
                    "{name} -> {target}: {text}"
                );
            }
            let is_link = |path: &str| nia.here().join(path).is_symlink();
            assert!(is_link(name), "{name} is left as it was");
            assert!(
                !nia.here().join(".gitignore").exists() || is_link(".gitignore") || {
                    let rules = String::from_utf8_lossy(&nia.reads(".gitignore")).into_owned();
                    !rules.contains(&made_up(24, 5))
                }
            );
        }
    }
}

#[test]
fn the_top_is_where_the_repository_lies_whatever_its_path_and_settings_say() {
    // A line break in the path.
    let nia = Person::new();
    let victim = victim(&nia);
    let odd = format!("x\n{}", victim.display());
    let odd = nia.here().join(odd.replace('/', "_")).join("y\nz");
    std::fs::create_dir_all(&odd).unwrap();
    let at = odd.to_str().unwrap();
    nia.git(&["init", "-q", at]);
    std::fs::write(odd.join("uplink.log"), "1\n").unwrap();
    let before = everything(&victim);
    nia.redshank(&["--root", at, "tidy", "--apply", "--yes"])
        .fine();
    assert!(odd.join(".gitignore").exists());
    assert_eq!(
        nia.redshank(&["--root", at, "rehearse", "--", "test", "-f", ".gitignore"])
            .fine()
            .code,
        0
    );
    // Its configuration says that its files are elsewhere.
    for elsewhere in ["../../victim", "../..", "/"] {
        let nia = Person::with_repository();
        nia.git(&["config", "core.worktree", elsewhere]);
        std::fs::create_dir_all(nia.here().join("../victim")).unwrap();
        let said = nia.redshank(&TIDY);
        assert!(
            said.code == 2 && said.err.contains("core.worktree"),
            "{elsewhere}: {}{}",
            said.out,
            said.err
        );
    }
    // Its hooks are somebody else's.
    let nia = Person::with_repository();
    nia.git(&["config", "core.hooksPath", "../victim"]);
    assert!(
        nia.redshank(&["hook", "on", "--yes"])
            .err
            .contains("core.hooksPath")
    );
    assert!(!nia.here().join("../victim/pre-commit").exists());
    // It says that a file of the person's holds their rules.
    nia.git(&["config", "core.excludesFile", "../victim-rules"]);
    std::fs::write(
        nia.here().join("../victim-rules"),
        format!("password = {}\n", made_up(24, 5)),
    )
    .unwrap();
    let said = nia.redshank(&["add", "*.x", "--for", "personal", "--write"]);
    assert!(
        said.code == 2 && said.err.contains("core.excludesFile"),
        "{}",
        said.err
    );
    for words in [
        &["rules"][..],
        &["rules", "--format", "json"],
        &["why", "password = x"],
    ] {
        let said = nia.redshank(words);
        assert!(
            !format!("{}{}", said.out, said.err).contains(&made_up(24, 5)),
            "{words:?}: {}",
            said.out
        );
    }
    assert_eq!(everything(&victim), before);
}

#[test]
fn what_was_only_staged_travels_nowhere() {
    let nia = Person::with_repository();
    nia.writes("README", "tides\n");
    nia.git(&["add", "README"]);
    nia.git(&["commit", "-qm", "start"]);
    let key = format!("glpat-{}", made_up(20, 3));
    nia.writes("gateway/.env", format!("UPLINK_TOKEN={key}\n"));
    nia.git(&["add", "--all"]);
    nia.redshank(&TIDY).fine();
    nia.git(&["add", ".gitignore"]);
    nia.git(&["commit", "-qm", "clean"]);
    nia.git(&["init", "-q", "--bare", "../there"]);
    nia.git(&["push", "-q", "--mirror", "../there"]);
    nia.git(&["clone", "-q", "--mirror", ".", "../mirror"]);
    nia.git(&["bundle", "create", "-q", "../all.bundle", "--all"]);
    nia.git(&["clone", "-q", "../all.bundle", "../from-bundle"]);
    for there in ["../there", "../mirror", "../from-bundle"] {
        let listed = nia
            .git(&["-C", there, "rev-list", "--objects", "--all"])
            .out;
        assert!(!listed.contains(".env\n"), "{there}: {listed}");
    }
    let found = nia
        .redshank(&["check", "--history", "--ignored", "--format", "json"])
        .json();
    for finding in found["findings"].as_array().unwrap() {
        assert_eq!(finding["exposure"], "disk", "{finding}");
    }
}

#[test]
fn a_rehearsal_is_nobody_elses_and_goes_on_every_ending() {
    let mut nia = Person::with_repository();
    let temporary = nia.here().join("../temporary");
    std::fs::create_dir_all(&temporary).unwrap();
    nia.sets("TMPDIR", temporary.clone());
    nia.writes("notes.txt", "mine\n");
    let left = || {
        let all = std::fs::read_dir(&temporary)
            .unwrap()
            .map(|entry| entry.unwrap().path());
        all.flat_map(|path| std::fs::read_dir(path).unwrap())
            .map(|entry| entry.unwrap().path())
            .collect::<Vec<_>>()
    };
    for signal in ["INT", "TERM", "HUP", "KILL"] {
        let mut child =
            nia.starts_redshank(&["rehearse", "--", "sh", "-c", "touch begun; exec sleep 100"]);
        let begun = || {
            left()
                .iter()
                .any(|path| path.join("clone/work/begun").exists())
        };
        while !begun() {
            assert!(child.try_wait().unwrap().is_none(), "it ended by itself");
            std::thread::sleep(std::time::Duration::from_millis(20));
        }
        for folder in [
            temporary.join(
                std::fs::read_dir(&temporary)
                    .unwrap()
                    .next()
                    .unwrap()
                    .unwrap()
                    .path(),
            ),
            left()[0].clone(),
        ] {
            assert_eq!(
                std::fs::metadata(&folder).unwrap().permissions().mode() & 0o777,
                0o700,
                "{}",
                folder.display()
            );
        }
        nia.runs("kill", &["-s", signal, &child.id().to_string()]);
        assert!(!child.wait().unwrap().success());
        assert_eq!(left().is_empty(), signal != "KILL", "{signal}");
    }
    nia.redshank(&["rehearse", "--", "true"]).fine();
    assert_eq!(
        left(),
        [""; 0].map(PathBuf::from),
        "what a killed one left is gone"
    );
}

#[test]
fn what_is_echoed_of_a_file_shows_no_secret_whole() {
    let key = format!("glpat-{}", made_up(20, 3));
    let nia = Person::with_repository();
    let hidden = |words: &[&str]| {
        let said = nia.redshank(words);
        let text = format!("{}{}", said.out, said.err);
        assert!(!text.contains(&key), "{words:?}: {text}");
        text
    };
    nia.writes(
        "redshank.toml",
        format!("visibility = \"private\"\nuplink = \"{key}\" oops\n"),
    );
    assert!(hidden(&["check"]).contains("redshank.toml"));
    nia.writes("redshank.toml", format!("\"{key}\" = 1\n"));
    hidden(&["prove"]);
    std::fs::remove_file(nia.here().join("redshank.toml")).unwrap();
    symlink(format!("/srv/{key}"), nia.here().join("link")).unwrap();
    nia.writes(".gitignore", format!("*.log # token {key}\n{key}\n"));
    for words in [
        &["check"][..],
        &["check", "--format", "json"],
        &["check", "--format", "sarif"],
        &["rules"],
        &["tidy"],
    ] {
        hidden(words);
    }
    hidden(&["rules", "--format", "json"]);
    nia.writes(
        ".redshank/templates/x.toml",
        format!("name = 'x'\ntitle = '{key}'\nnope = 1\n"),
    );
    hidden(&["templates"]);
}
