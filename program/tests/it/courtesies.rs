//! What people expect of a well-kept program: completions, manual pages, settings, a pager, links.

use crate::common::{Person, made_up, private_key};
use crate::live::Terminal;
use std::path::PathBuf;

/// What a shell is offered for the last of these words.
fn offered(nia: &Person, words: &[&str]) -> Vec<String> {
    let mut nia = nia.again();
    nia.sets("REDSHANK_COMPLETE", PathBuf::from("fish"));
    let said = nia.redshank(&[&["--", "redshank"], words].concat()).fine();
    let values = said.out.lines().map(|line| line.split('\t').next());
    values
        .map(|value| value.unwrap_or_default().to_owned())
        .collect()
}

fn prefers(nia: &Person, text: &str) {
    let folder = nia.home().join(".config/redshank");
    std::fs::create_dir_all(&folder).unwrap();
    std::fs::write(folder.join("config.toml"), text).unwrap();
}

#[test]
fn shells_complete_what_is_possible_here() {
    let nia = Person::with_repository();
    nia.writes("gate/Cargo.toml", "[package]\nname = \"gate\"\n");
    nia.writes("key.pem", private_key());
    for shell in ["bash", "zsh", "fish", "elvish", "powershell"] {
        let script = nia.redshank(&["completions", shell]).fine().out;
        assert!(script.contains("REDSHANK_COMPLETE"), "{shell}: {script}");
    }
    let is_offered = |words: &[&str], value: &str| {
        let offered = offered(&nia, words);
        assert!(
            offered.iter().any(|one| one == value),
            "{words:?}: {offered:?}"
        );
    };
    is_offered(&["reh"], "rehearse");
    is_offered(&["draft", "rust@"], "rust@gate/");
    is_offered(&["templates", "show", "uni"], "unity");
    is_offered(&["draft", "--variant", "unity/"], "unity/public");
    is_offered(&["check", "--class", "sec"], "secret");
    is_offered(&["check", "--level", ""], "warning");
    is_offered(&["files", "--state", ""], "candidate");
    is_offered(&["settings", "limits."], "limits.file_error");
    nia.redshank(&["add", "*.raw", "--write"]).fine();
    is_offered(&["drop", ""], "*.raw");
    is_offered(&["undo", ""], "1");
    // Paths, where paths are wanted; commands, where one is.
    is_offered(&["why", "ga"], "gate/");
    is_offered(&["check", "gate/C"], "gate/Cargo.toml");
    is_offered(&["try", "x", "--in", ""], "gate/");
    is_offered(&["rehearse", "--", "gi"], "git");
    is_offered(&["rehearse", "--", "git", "gate/"], "gate/Cargo.toml");
    assert!(!offered(&nia, &["survey", ""]).contains(&"key.pem".to_owned()));
    let found = nia.redshank(&["check", "--format", "json"]).json();
    let id = found["findings"][0]["id"].as_str().unwrap().to_owned();
    is_offered(&["accept", ""], &id);
    is_offered(&["tidy", "--skip", ""], &id);
    // Where nothing can be read, nothing is said either.
    nia.writes("redshank.toml", "[");
    assert!(!offered(&nia, &["accept", ""]).contains(&id));
}

/// Shells, each as a person starts it, and how it learns to complete.
const SHELLS: &[(&str, &str, &str)] = &[
    (
        "bash",
        "bash --norc -i",
        "source <(redshank completions bash)",
    ),
    (
        "zsh",
        "zsh -f -i",
        "autoload -U compinit; compinit -D; source <(redshank completions zsh)",
    ),
    (
        "fish",
        "fish --no-config -i",
        "redshank completions fish | source",
    ),
];

/// A name of the repository on the line is never a command: each shell reads it as that name again.
#[test]
fn a_completed_name_is_a_name_again_in_real_shells() {
    for (shell, starts, learns) in SHELLS {
        for name in [
            "gauge;touch PWN",
            "gauge $(touch PWN)",
            "gauge'\"`touch PWN`",
            "gauge *?[x]",
        ] {
            let mut nia = Person::with_repository();
            if nia.runs("which", &[shell]).code != 0 {
                assert!(*shell != "bash", "every system here has it");
                continue;
            }
            nia.writes(name, "1");
            let program = PathBuf::from(env!("CARGO_BIN_EXE_redshank"));
            let path = std::env::var_os("PATH").unwrap();
            let folders = std::iter::once(program.parent().unwrap().to_owned());
            let folders = folders.chain(std::env::split_paths(&path));
            nia.sets("PATH", std::env::join_paths(folders).unwrap().into());
            let mut terminal = Terminal::with(&nia, (24, 120), starts);
            terminal.types(&format!("{learns}; echo lear''ned\n"));
            terminal.shows("learned");
            terminal.types("redshank why gau\t");
            terminal.sees("the completed name", |text| {
                text.matches("PWN").count() > 0 || text.contains("[x")
            });
            // What stands on the line now, as the shell reads it.
            terminal.types("\x01printf '<%s>' \x05\n");
            let wanted = format!("<redshank><why><{name}>");
            terminal.shows(&wanted);
            terminal.types("\x04exit\n");
            assert!(!nia.here().join("PWN").exists(), "{shell}");
        }
    }
}

#[test]
fn each_command_has_a_manual_page_and_the_version_tells_the_build() {
    let nia = Person::new();
    let page = nia.redshank(&["manual", "check"]).fine().out;
    assert!(
        page.starts_with(".ie") && page.contains(".TH REDSHANK-CHECK 1"),
        "{page}"
    );
    for section in ["SYNOPSIS", "OPTIONS", "EXAMPLES", "EXIT STATUS", "SEE ALSO"] {
        assert!(page.contains(section), "{section} in {page}");
    }
    nia.redshank(&["manual", "--into", "."]).fine();
    assert!(nia.here().join("redshank-tidy.1").exists());
    assert_eq!(nia.redshank(&["manual", "chek"]).code, 2);
    let version = nia.redshank(&["--version"]).fine().out;
    assert!(
        version.contains(" of 20") && version.contains("rustc"),
        "{version}"
    );
    let misspelt = nia.redshank(&["help", "chek"]);
    assert!(
        misspelt.code == 2 && misspelt.err.contains("'check'"),
        "{}",
        misspelt.err
    );
    let unknown = nia.redshank(&["templates", "pyhton"]);
    assert!(unknown.code == 1 && unknown.err.contains("did you mean `python`?"));
}

#[test]
fn the_nearer_setting_wins() {
    let nia = Person::with_repository();
    let row = |person: &Person, words: &[&str], name: &str| {
        let words = [&["settings", name, "--format", "json"], words].concat();
        let said = person.redshank(&words).fine().json();
        let row = &said["settings"][0];
        let text = |key: &str| row[key].as_str().unwrap().to_owned();
        (text("value"), text("from"))
    };
    let is = |person: &Person, words: &[&str], name: &str, value: &str, from: &str| {
        assert_eq!(
            row(person, words, name),
            (value.into(), from.into()),
            "{name}"
        );
    };
    is(&nia, &[], "color", "auto", "built-in");
    prefers(
        &nia,
        "color = \"never\"\npager = \"more\"\n[add]\nfor = \"clone\"\n[limits]\nfile_error = \"2 MiB\"\n",
    );
    is(&nia, &[], "color", "never", "personal");
    is(&nia, &["--color", "always"], "color", "always", "option");
    is(&nia, &[], "pager", "more", "personal");
    let mut other = nia.again();
    other.sets("REDSHANK_PAGER", "cat".into());
    is(&other, &[], "pager", "cat", "environment");
    is(&nia, &[], "limits.file_error", "2.0 MiB", "personal");
    nia.redshank(&["add", "mine.txt", "--write"]).fine();
    assert!(nia.reads(".git/info/exclude").ends_with(b"mine.txt\n"));
    // A file that is too large for this person, until the repository says otherwise.
    nia.writes("a.bin", vec![0; 3 << 20]);
    let errors =
        || nia.redshank(&["check", "--format", "json"]).json()["summary"]["errors"].clone();
    assert_eq!(errors(), 1);
    let set = ["settings", "limits.file_error", "4 MiB", "--write"];
    nia.redshank(&set).fine();
    is(&nia, &[], "limits.file_error", "4.0 MiB", "repository");
    assert_eq!(errors(), 0);
    nia.redshank(&["undo", "--yes"]).fine();
    assert_eq!(errors(), 1);
    assert_eq!(
        nia.redshank(&["settings", "visibility", "some", "--write"])
            .code,
        2
    );
    prefers(&nia, "colour = \"never\"\n");
    let refused = nia.redshank(&["files"]);
    assert_eq!(refused.code, 2);
    for part in ["config.toml", "line 1", "`color`"] {
        assert!(refused.err.contains(part), "{part} in {}", refused.err);
    }
}

#[test]
fn long_output_is_read_in_the_pager_at_a_terminal_alone() {
    let nia = Person::with_repository();
    for number in 0..30 {
        nia.writes(&format!("station-{number:02}.csv"), "1");
    }
    let mut nia = nia.again();
    nia.sets("REDSHANK_PAGER", "sed s/station/PAGED/".into());
    let is_paged = |nia: &Person, rows: u16| {
        nia.redshank_in_a_window((rows, 80), "files")
            .contains("PAGED-29")
    };
    assert!(is_paged(&nia, 10));
    assert!(!is_paged(&nia, 100));
    assert!(!nia.redshank(&["files"]).fine().out.contains("PAGED"));
    for none in ["", "no-such-pager --really"] {
        nia.sets("REDSHANK_PAGER", none.into());
        let seen = nia.redshank_in_a_window((10, 80), "files");
        assert!(seen.contains("station-29"), "{none}: {seen}");
    }
}

#[test]
fn names_of_files_are_links_that_tell_no_secret() {
    let nia = Person::with_repository();
    prefers(&nia, "links = \"always\"\n");
    nia.writes("deep blue/key.pem", private_key());
    let said = nia.redshank(&["check", "--color", "always"]).out;
    let target = format!("{}/deep%20blue/key.pem\u{1b}\\", nia.here().display());
    assert!(said.contains(&target), "{said:?}");
    let token = format!("glpat-{}", made_up(20, 7));
    nia.writes(&token, "1");
    let said = nia.redshank(&["files", "--color", "always"]).out;
    assert!(!said.contains(&token), "{said:?}");
    prefers(&nia, "links = \"never\"\n");
    assert!(
        !nia.redshank(&["check", "--color", "always"])
            .out
            .contains("file://")
    );
}

#[test]
fn a_log_is_written_for_whoever_asks() {
    let mut nia = Person::with_repository();
    nia.sets("REDSHANK_LOG", "info".into());
    let said = nia.redshank(&["files"]).fine();
    assert!(
        said.err.contains("name=Walk") && !said.out.contains("name="),
        "{}",
        said.err
    );
    nia.sets("REDSHANK_LOG", "a=b=c".into());
    let refused = nia.redshank(&["files"]);
    assert!(
        refused.code == 2 && refused.err.contains("REDSHANK_LOG"),
        "{}",
        refused.err
    );
}

#[test]
fn less_is_said_with_quiet_and_never_too_little() {
    let nia = Person::with_repository();
    nia.writes("key.pem", private_key());
    nia.writes("sub/notes.txt", "1");
    nia.writes("sub/more/a", "22");
    nia.writes(".gitignore", "*.tmp\n");
    nia.writes("sub/a.tmp", "12345");
    let said = |words: &[&str]| nia.redshank(words).out;
    assert_eq!(said(&["check", "--quiet"]), "1 error\n");
    let survey = nia.redshank(&["survey", "sub", "--format", "json"]).json();
    assert_eq!(survey["folder"], "sub/");
    assert_eq!(survey["to_commit"]["files"], 2);
    assert_eq!(survey["ignored"]["size"], 5);
    assert_eq!(survey["folders"][0]["path"], "more/");
    assert_eq!(survey["summary"]["errors"], 0);
    assert!(said(&["status"]).contains("would hold 4 files"));
    nia.redshank(&["prove", "--record", "--write"]).fine();
    let proven = said(&["prove", "--quiet"]);
    assert!(
        proven.ends_with(" hold\n") && proven.lines().count() == 1,
        "{proven}"
    );
    // Anyone who was stopped before a commit is shown what to accept.
    nia.git(&["add", "--all"]);
    let found = nia.redshank(&["check", "--format", "json"]).json();
    let id = found["findings"][0]["id"].as_str().unwrap();
    let staged = said(&["check", "--staged", "--level", "error"]);
    assert!(
        staged.contains(id) && staged.contains("redshank accept"),
        "{staged}"
    );
}

#[test]
fn the_largest_files_come_first() {
    let nia = Person::with_repository();
    for (path, size) in [
        ("a.txt", 3),
        ("deep/b.raw", 700),
        ("c.raw", 700),
        ("old.log", 9000),
    ] {
        nia.writes(path, vec![b'1'; size]);
    }
    nia.writes(".gitignore", "*.log\n");
    let list = |words: &[&str]| {
        let said = nia
            .redshank(&[&["files", "--format", "json"], words].concat())
            .fine();
        let rows = said.json().as_array().unwrap().clone();
        let paths = rows
            .iter()
            .map(|row| row["path"].as_str().unwrap().to_owned());
        paths.collect::<Vec<_>>()
    };
    assert_eq!(
        list(&["--largest", "3"]),
        ["c.raw", "deep/b.raw", ".gitignore"]
    );
    assert_eq!(list(&["--largest", "1", "--state", "ignored"]), ["old.log"]);
    assert_eq!(list(&["--largest"]).len(), 4);
    let raw = nia.redshank(&["files", "-z", "--largest", "1"]).fine().out;
    assert_eq!(raw, "c.raw\0");
}
