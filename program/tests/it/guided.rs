//! The guided way, and how questions are asked at a terminal.

use crate::common::{Person, made_up};

/// A folder as a scaffold leaves it after the first build.
fn scaffold(nia: &Person) {
    nia.writes(
        "package.json",
        "{\"name\": \"tide\", \"devDependencies\": {\"vite\": \"^7\"}}",
    );
    nia.writes("vite.config.js", "export default {}\n");
    nia.writes("src/main.js", "console.log('tide')\n");
    nia.writes("node_modules/vite/index.js", "x");
    nia.writes("dist/index.html", "<p>");
    nia.writes(".env", format!("DB_PASSWORD={}\n", made_up(14, 3)));
    nia.writes(".DS_Store", "x");
    nia.writes(".bash_history", "make\n");
}

#[test]
fn a_newcomer_gets_from_a_folder_to_a_clean_commit_by_pressing_enter() {
    let nia = Person::new();
    scaffold(&nia);
    let enter = "\r";
    let keys = [
        ("Create one?", enter),
        ("Who can see", enter),
        ("Add project types", enter),
        ("rules to .gitignore?", enter),
        ("Normalize line endings", enter),
        ("Fix this?", enter),
        ("Write a sample", enter),
        ("before each commit?", enter),
        ("as regression tests?", enter),
        ("Stage all of it?", enter),
        ("Commit message", "Begin\r"),
    ];
    let said = nia.redshank_at_a_terminal("setup", &keys);
    assert!(said.out.contains("redshank undo"), "{}", said.out);
    // Each step is a command that one can type.
    for typed in [
        "$ git init",
        "$ redshank draft",
        "$ redshank tidy",
        "$ redshank hook on",
        "$ git add",
    ] {
        assert!(said.out.contains(typed), "{typed} in {}", said.out);
    }
    assert!(
        said.out.contains("by Nia <nia@tidewatch.example>"),
        "{}",
        said.out
    );
    let held = nia.git_lists(&["--cached"]);
    let wanted = [
        ".env.example",
        ".gitignore",
        "package.json",
        "src/main.js",
        "vite.config.js",
    ];
    assert_eq!(held, wanted);
    assert_eq!(nia.git_says(&["log", "--format=%s"]).out, "Begin\n");
    assert_eq!(nia.redshank(&["check"]).code, 0);
    // On a finished repository nothing is asked.
    let again = nia.redshank_at_a_terminal("setup", &[]);
    assert!(
        again.out.contains("there is nothing to do"),
        "{}",
        again.out
    );
    // All of it is undone at once; the commit is git's.
    let undone = nia.redshank(&["undo", "--setup", "--yes"]).fine();
    // The new .gitignore and .env.example; the hook isn't git's to track.
    let left = "undone; on disk all is as it was before\n2 files were staged or committed since";
    assert!(undone.out.contains(left), "{}", undone.out);
    assert_eq!(
        nia.redshank(&["hook", "status", "--format", "json"]).json()["on"],
        false
    );
    assert!(!nia.here().join(".gitignore").exists());
}

#[test]
fn without_anybody_to_ask_setup_explains_and_does_nothing() {
    let nia = Person::new();
    scaffold(&nia);
    let said = nia.redshank(&["setup"]).fine();
    assert!(said.out.contains("nothing was done"), "{}", said.out);
    assert!(!nia.here().join(".git").exists());
    nia.writes("film.mov", "x".repeat(2000));
    nia.writes("redshank.toml", "[limits]\nfile_warning = 1000\n");
    nia.git(&["init", "-q"]);
    nia.git(&["config", "--global", "filter.lfs.clean", "cat"]);
    let large = ["--large", "store-type"];
    let words = ["setup", "--yes", "--no-hook", "--commit", "Begin"];
    nia.redshank(&[&words[..], &large].concat()).fine();
    let attributes = String::from_utf8(nia.reads(".gitattributes")).unwrap();
    assert!(attributes.contains("*.mov filter=lfs"), "{attributes}");
    assert!(!nia.here().join(".git/hooks/pre-commit").exists());
    assert_eq!(nia.git_says(&["log", "--format=%s"]).out, "Begin\n");
}

#[test]
fn a_question_counts_once_enter_is_pressed_and_esc_leaves_all_as_it_was() {
    let nia = Person::with_repository();
    nia.writes("a.raw", "x");
    let question = "Write it? [N]o, [y]es";
    let rules = || std::fs::read_to_string(nia.here().join(".gitignore")).unwrap_or_default();
    let add = "add a.raw --write";
    // What is no answer asks again, and never means Enter's own.
    for word in ["q", "help", "?", "skip", "yessir"] {
        let keys = [(question, &*format!("{word}\r")), ("then Enter", "\u{1b}")];
        let said = nia.redshank_at_a_terminal(add, &keys);
        assert!(said.out.contains("[N]o, [y]es; then Enter"), "{}", said.out);
        assert_eq!(rules(), "");
    }
    nia.redshank_at_a_terminal(add, &[(question, "\r")]);
    assert_eq!(rules(), "");
    let said = nia.redshank_at_a_terminal(add, &[(question, "\u{3}")]);
    assert_eq!(rules(), "");
    assert!(
        !said.out.ends_with("\u{1b}[?25l"),
        "the cursor stays hidden: {:?}",
        said.out
    );
    let said = nia.redshank_at_a_terminal(add, &[(question, "yes\r")]);
    assert!(
        said.out.contains("yes\r\n"),
        "the answer shows: {}",
        said.out
    );
    assert_eq!(rules(), "a.raw\n");
}

#[test]
fn findings_can_be_left_and_accepted_one_by_one() {
    let nia = Person::with_repository();
    nia.writes("vite.config.ts", "export default {}\n");
    nia.writes("tsconfig.json", "{}\n");
    for name in ["a.pem", "b.pem", "c.pem"] {
        nia.writes(name, format!("{}\n", crate::common::private_key()));
    }
    let keys = [
        ("Who can see", "e\r"),
        ("Add project types", "nosuch\r"),
        ("no template is called nosuch", "-ts javascript\r"),
        ("rules to .gitignore?", "y\r"),
        ("Normalize line endings", "\r"),
        ("Fix these 3?", "e\r"),
        ("redshank tidy?", "\r"),
        ("redshank tidy?", "n\r"),
        ("redshank tidy?", "a\r"),
        ("Why is this OK?", "made up\r"),
        ("before each commit?", "n\r"),
        ("as regression tests?", "n\r"),
        ("Stage all of it?", "\u{1b}"),
    ];
    let said = nia.redshank_at_a_terminal("setup", &keys);
    assert!(
        said.out.contains("continues from this step"),
        "{}",
        said.out
    );
    let rules = String::from_utf8(nia.reads(".gitignore")).unwrap();
    assert!(rules.contains("begin node, vite"), "{rules}");
    assert!(!rules.contains("typescript"), "{rules}");
    let settings = String::from_utf8(nia.reads("redshank.toml")).unwrap();
    assert!(settings.contains("visibility = \"public\""), "{settings}");
    assert_eq!(settings.matches("because = \"made up\"").count(), 1);
    assert_eq!(nia.lists("ignored").len(), 1);
    let left = nia.redshank(&["check", "--format", "json"]).json();
    assert_eq!(left["summary"]["errors"], 1, "{left}");
}

#[test]
fn a_sample_is_written_beside_an_environment_file_that_is_ignored_already() {
    let nia = Person::with_repository();
    scaffold(&nia);
    nia.redshank(&["draft", "--write"]).fine();
    nia.redshank(&["tidy", "--apply"]).fine();
    assert_eq!(nia.reads(".env.example"), b"DB_PASSWORD=\n");
}

#[test]
fn the_list_of_files_can_be_that_of_some_folders() {
    let nia = Person::with_repository();
    for path in ["a/x", "a/deep/y", "b/z", "c"] {
        nia.writes(path, "1");
    }
    let list = |words: &[&str]| nia.redshank(&[&["files", "-z"], words].concat()).fine().out;
    assert_eq!(list(&["a"]), "a/deep/y\0a/x\0");
    assert_eq!(list(&["a/deep", "b/"]), "a/deep/y\0b/z\0");
    assert_eq!(nia.redshank(&["files", "nowhere"]).code, 2);
}

#[test]
fn a_project_type_can_be_dropped_without_losing_what_comes_along() {
    let nia = Person::with_repository();
    scaffold(&nia);
    nia.writes(".directory", "[Desktop Entry]\n");
    nia.redshank(&["draft", "--except", "osx", "--write", "--yes"])
        .fine();
    let rules = String::from_utf8(nia.reads(".gitignore")).unwrap();
    assert!(!rules.contains(".DS_Store"), "{rules}");
    for kept in [".env", "node_modules/", ".directory"] {
        assert!(rules.contains(kept), "{kept} in {rules}");
    }
}

#[test]
fn refusing_a_repository_is_no_error() {
    let nia = Person::new();
    let said = nia.redshank_at_a_terminal("setup", &[("Create one?", "n\r")]);
    assert_eq!(said.code, 0, "{}", said.out);
    assert!(said.out.contains("redshank check"), "{}", said.out);
}

#[test]
fn setup_never_takes_pushed_files_away_and_never_commits_over_an_error_unasked() {
    let nia = Person::with_repository();
    nia.writes("package.json", "{\"name\":\"gauge\",\"dependencies\":{}}");
    nia.writes("node_modules/a/index.js", "module.exports = 1;\n");
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "-qm", "one"]);
    nia.git(&["init", "-q", "--bare", "../hub.git"]);
    nia.git(&["remote", "add", "hub", "../hub.git"]);
    nia.git(&["push", "-q", "hub", "main"]);
    nia.writes("mine.txt", "not for this commit\n");
    let said = nia.redshank(&["setup", "--yes", "--commit", "Tidy"]).fine();
    assert!(
        said.out.contains("the next pull deletes them"),
        "{}",
        said.out
    );
    assert!(
        nia.lists("tracked")
            .contains(&"node_modules/a/index.js".to_owned())
    );
    assert!(
        nia.lists("candidate").contains(&"mine.txt".to_owned()),
        "it stages only its own"
    );
    assert_eq!(nia.git_says(&["log", "-1", "--format=%s"]).out, "Tidy\n");

    let lev = Person::with_repository();
    lev.writes("uplink.py", format!("token = '{}'\n", made_up(30, 8)));
    let words = ["setup", "--yes", "--no-hook", "--commit", "Begin"];
    let said = lev.redshank(&words);
    assert_eq!(said.code, 1, "{}", said.out);
    assert!(said.out.contains("Not committed"), "{}", said.out);
    assert_ne!(lev.git_says(&["rev-parse", "--verify", "HEAD"]).code, 0);
}

#[test]
fn setup_starts_no_program_that_the_repository_names() {
    for (key, value) in [
        ("core.fsmonitor", "touch ../ran; false"),
        ("filter.tide.clean", "touch ../ran; cat"),
        ("core.hooksPath", "hooks"),
        ("gpg.program", "./sign"),
    ] {
        let nia = Person::with_repository();
        nia.writes("README.md", "tides\n");
        nia.writes(".gitattributes", "*.md filter=tide\n");
        for program in ["hooks/pre-commit", "sign"] {
            nia.writes(program, "#!/bin/sh\ntouch ../ran\n");
            nia.runs("chmod", &["+x", program]).fine();
        }
        nia.git(&["config", "commit.gpgSign", "true"]);
        nia.git(&["config", key, value]);
        let said = nia.redshank(&["setup", "--yes", "--no-hook", "--commit", "Begin"]);
        assert!(!nia.here().join("../ran").exists(), "{key}");
        assert!(
            said.out.contains(&key.to_lowercase()),
            "{key}: {}",
            said.out
        );
        assert_eq!(said.code, 1, "{key}: {}", said.out);
    }
}

#[test]
fn setup_works_in_a_folder_whose_name_is_no_text() {
    use std::os::unix::ffi::OsStrExt;
    let mut nia = Person::new();
    let odd = nia.here().join(std::ffi::OsStr::from_bytes(b"tide\xff"));
    std::fs::create_dir(&odd).unwrap();
    nia.stands_in(&odd);
    nia.writes("README.md", "tides\n");
    nia.redshank(&["setup", "--yes", "--no-hook", "--commit", "Begin"])
        .fine();
    assert_eq!(nia.git_says(&["log", "--format=%s"]).out, "Begin\n");
}
