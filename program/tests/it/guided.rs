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
    nia.writes("uplink.log.1", "x");
}

#[test]
fn a_newcomer_gets_from_a_folder_to_a_clean_commit_by_pressing_enter() {
    let nia = Person::new();
    scaffold(&nia);
    let enter = "\r";
    let keys = [
        ("Make it one?", enter),
        ("Who gets a copy", enter),
        ("Other types", enter),
        ("Write the rules that fit?", enter),
        ("line ends the same", enter),
        ("Mend it?", enter),
        ("Write a sample", enter),
        ("before each commit?", enter),
        ("for `redshank prove`?", enter),
        ("Stage all of it?", enter),
        ("The message of the commit", "Begin\r"),
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
    let held = nia.git_lists(&["--cached"]);
    let wanted = [
        ".env.example",
        ".gitignore",
        ".redshank/drafted.toml",
        "package.json",
        "redshank.toml",
        "src/main.js",
        "vite.config.js",
    ];
    assert_eq!(held, wanted);
    assert_eq!(nia.git_says(&["log", "--format=%s"]).out, "Begin\n");
    assert_eq!(nia.redshank(&["check"]).code, 0);
    // It goes on from where it is: there is nothing left to be asked but for types and rules.
    let again = nia.redshank(&["setup", "--yes"]).fine();
    assert!(
        again.out.contains("It is a repository already."),
        "{}",
        again.out
    );
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
    nia.git(&["config", "filter.lfs.clean", "cat"]);
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
    let question = "Write it? [N/y]";
    let rules = || std::fs::read_to_string(nia.here().join(".gitignore")).unwrap_or_default();
    let add = "add a.raw --write";
    let said = nia.redshank_at_a_terminal(add, &[(question, "q"), ("then Enter", "\u{1b}")]);
    assert!(said.out.contains("n no, y yes"), "{}", said.out);
    assert_eq!(rules(), "");
    nia.redshank_at_a_terminal(add, &[(question, "\r")]);
    assert_eq!(rules(), "");
    let said = nia.redshank_at_a_terminal(add, &[(question, "\u{3}")]);
    assert_eq!(rules(), "");
    assert!(
        !said.out.ends_with("\u{1b}[?25l"),
        "the cursor stays hidden: {:?}",
        said.out
    );
    nia.redshank_at_a_terminal(add, &[(question, "y"), ("y", "\r")]);
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
        ("Who gets a copy", "e\r"),
        ("Other types", "nosuch\r"),
        ("no template is called nosuch", "-typescript node\r"),
        ("Write the rules that fit?", "y\r"),
        ("line ends the same", "\r"),
        ("Mend these 3?", "e\r"),
        ("[Y/n/a]", "\r"),
        ("[Y/n/a]", "n\r"),
        ("[Y/n/a]", "a\r"),
        ("Why is it all right?", "made up\r"),
        ("before each commit?", "n\r"),
        ("for `redshank prove`?", "n\r"),
        ("Stage all of it?", "\u{1b}"),
    ];
    let said = nia.redshank_at_a_terminal("setup", &keys);
    assert!(said.out.contains("goes on from this step"), "{}", said.out);
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
