//! What each kind of step of a tidying does, and when it refuses.

use crate::common::Person;
use bstr::ByteSlice;

const APPLY: [&str; 3] = ["tidy", "--apply", "--yes"];

fn with_commit(files: &[(&str, &str)]) -> Person {
    let nia = Person::with_repository();
    files
        .iter()
        .for_each(|(path, contents)| nia.writes(path, contents));
    nia.git(&["add", "--all"]);
    nia.git(&["commit", "-qm", "first"]);
    nia
}

#[test]
fn what_can_be_made_again_moves_away_and_comes_back_with_all_it_was() {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "*.pyc\n/web/node_modules/\n");
    nia.writes("Cargo.toml", "[package]\nname = \"gateway\"\n");
    nia.writes("target/debug/app", "x");
    nia.writes("web/package.json", "{}");
    nia.writes("web/node_modules/a/index.js", "1");
    nia.writes("keep/notes.o", "what nothing here makes again");
    // A clone within is nothing that a build makes.
    nia.writes("api/package.json", "{}");
    nia.writes("api/node_modules/own/.git/HEAD", "ref: refs/heads/main\n");
    nia.git(&["add", "Cargo.toml", "target"]);
    let modified = |path: &str| {
        std::fs::metadata(nia.here().join(path))
            .unwrap()
            .modified()
            .unwrap()
    };
    let (file, folder) = (modified("target/debug/app"), modified("target"));

    nia.redshank(&APPLY).fine();
    assert!(
        nia.here().join("target/debug/app").exists(),
        "not without being told"
    );
    nia.redshank(&["undo", "--yes"]).fine();
    let said = nia
        .redshank(&["tidy", "--remove", "--apply", "--yes"])
        .fine();
    assert!(
        said.out.contains("moved out of the way") && said.out.contains("undo --forget"),
        "{}",
        said.out
    );
    for gone in ["target", "web/node_modules"] {
        assert!(!nia.here().join(gone).exists(), "{gone}");
    }
    assert!(
        nia.here().join("api/node_modules/own/.git/HEAD").exists()
            && nia.here().join("keep/notes.o").exists()
    );
    assert!(
        !nia.lists("tracked")
            .contains(&"target/debug/app".to_owned())
    );

    // Made again meanwhile: neither is lost.
    nia.writes("target/debug/app", "newer");
    let said = nia.redshank(&["undo", "--yes"]);
    assert_eq!(said.code, 2);
    assert!(
        said.err.contains("/target: what it held before") && said.err.contains("moved-"),
        "{}",
        said.err
    );
    assert_eq!(nia.reads("target/debug/app"), b"newer");
    std::fs::remove_dir_all(nia.here().join("target")).unwrap();
    nia.redshank(&["undo", "--yes"]).fine();
    assert_eq!(
        (modified("target/debug/app"), modified("target")),
        (file, folder)
    );
    assert_eq!(nia.reads("web/node_modules/a/index.js"), b"1");
    assert_eq!(nia.lists("tracked"), ["Cargo.toml", "target/debug/app"]);
}

#[test]
fn a_built_folder_with_a_file_that_a_clone_needs_stays_where_it_is() {
    let nia = Person::with_repository();
    nia.writes(
        ".redshank/templates/tables.toml",
        "name = 'tables'\ntitle = 'Tide tables'\nrevision = 1\ngroup = 'tool'\n\
         [[recognise]]\nfile = 'tables.ini'\n\
         [[rule]]\npattern = 'made/'\nclass = 'generated'\nreason = 'the tables'\nremake = 'make tables'\n\
         ignored = ['made/a.bin']\nkept = ['tables.ini']\n\
         [[needed]]\npattern = '/made/index.txt'\nreason = 'readers start from it'\n",
    );
    for harbour in ["north", "south"] {
        nia.writes(&format!("{harbour}/tables.ini"), "");
        nia.writes(&format!("{harbour}/made/a.bin"), "1");
    }
    nia.writes("south/made/index.txt", "1");
    nia.writes(".gitignore", "made/\n");
    nia.redshank(&["tidy", "--remove", "--apply", "--yes"])
        .fine();
    assert!(
        !nia.here().join("north/made").exists(),
        "nothing in it is needed"
    );
    assert_eq!(nia.reads("south/made/index.txt"), b"1");
    assert!(nia.here().join("south/made/a.bin").exists());
}

#[test]
fn a_misspelt_ignore_file_is_left_to_the_person_with_its_right_name() {
    let nia = with_commit(&[
        ("kiosk/.gitignor", "*.tmp\n"),
        (".gitignore", "*.bak\n"),
        (".gitignroe", "*.raw\n"),
    ]);
    let report = nia
        .redshank(&["tidy", "--apply", "--yes", "--format", "json"])
        .fine()
        .json();
    assert_eq!(report["steps"], serde_json::json!([]));
    let remedies: Vec<&str> = report["left"]
        .as_array()
        .unwrap()
        .iter()
        .map(|left| left["remedy"].as_str().unwrap())
        .collect();
    assert_eq!(
        remedies,
        [
            "rename it to the name and place of the intended file",
            "if it should be kiosk/.gitignore, rename it: mv kiosk/.gitignor kiosk/.gitignore",
        ]
    );
}

#[test]
fn rules_are_written_as_they_were_meant_and_every_other_line_stays() {
    let nia = with_commit(&[("keep.log", "tracked on purpose")]);
    nia.writes(
        ".gitignore",
        "# ours\r\n*.log # of the uplink\r\n./out.txt\r\n*.bak\r\n",
    );
    nia.writes("out.txt", "");
    nia.writes("uplink.log", "");
    nia.redshank(&["tidy", "--only", "rule", "--apply", "--yes"])
        .fine();
    let text = String::from_utf8(nia.reads(".gitignore")).unwrap();
    assert!(
        text.starts_with("# ours\r\n# of the uplink\r\n*.log\r\n/out.txt\r\n*.bak\r\n"),
        "{text:?}"
    );
    assert!(
        text.contains("!/keep.log"),
        "the rule speaks of a tracked file now: {text:?}"
    );
    assert_eq!(nia.lists("ignored"), ["out.txt", "uplink.log"]);
    nia.agrees_with_git();
    assert_eq!(
        nia.redshank(&["tidy", "--only", "rule", "--format", "json"])
            .json()["steps"],
        serde_json::json!([])
    );
}

#[test]
fn a_forced_in_file_gets_an_exception_where_the_rule_stands() {
    let nia = Person::with_repository();
    nia.writes("sensors/.gitignore", "*.cal\nlocal/\n");
    nia.writes("sensors/north.cal", "1");
    nia.writes("sensors/local/own.txt", "1");
    nia.git(&["add", "--force", "."]);
    nia.redshank(&APPLY).fine();
    let text = String::from_utf8(nia.reads("sensors/.gitignore")).unwrap();
    assert!(text.contains("\n!/north.cal\n"), "{text}");
    assert!(
        !text.contains("own.txt"),
        "in a folder that is shut no exception works"
    );
    nia.git(&["rm", "-q", "--cached", "sensors/north.cal"]);
    assert_eq!(nia.lists("candidate"), ["sensors/north.cal"]);
}

#[test]
fn large_media_go_to_large_file_storage_only_where_its_program_is_set_up() {
    let nia = Person::with_repository();
    nia.writes("redshank.toml", "[limits]\nfile_warning = 1000\n");
    nia.writes("sounds/low tide.wav", "x".repeat(2000));
    nia.writes("models/gauge.fbx", "x".repeat(2000));
    nia.writes("models/old.fbx", "small, and held whole");
    nia.git(&["add", "models/old.fbx"]);
    nia.git(&["commit", "-qm", "first"]);
    nia.writes("src/table.rs", "x".repeat(2000));
    nia.redshank(&APPLY).fine();
    assert!(!nia.here().join(".gitattributes").exists());
    assert!(
        nia.lists("candidate")
            .contains(&"sounds/low tide.wav".to_owned()),
        "somebody's only copy stays in as long as it can't be stored"
    );

    nia.git(&["config", "filter.lfs.clean", "cat"]);
    nia.redshank(&APPLY).fine();
    let text = String::from_utf8(nia.reads(".gitattributes")).unwrap();
    let lines: Vec<&str> = text.lines().filter(|line| !line.starts_with('#')).collect();
    let ends = "filter=lfs diff=lfs merge=lfs -text";
    assert_eq!(
        lines,
        [format!("/models/gauge.fbx {ends}"), format!("*.wav {ends}")]
    );
    let said = nia
        .git(&[
            "check-attr",
            "filter",
            "sounds/low tide.wav",
            "models/gauge.fbx",
            "models/old.fbx",
        ])
        .out;
    assert_eq!(said.matches("filter: lfs").count(), 2, "{said}");
    assert!(
        nia.lists("candidate")
            .contains(&"sounds/low tide.wav".to_owned())
    );
    assert!(!said.contains("table.rs"), "code is never stored there");
    assert!(
        nia.redshank(&["tidy"])
            .fine()
            .out
            .contains("nothing to fix automatically"),
        "never twice"
    );
}

#[test]
fn scripts_get_the_line_ends_that_their_interpreter_reads() {
    let nia = Person::with_repository();
    nia.writes("flash.sh", "#!/bin/sh\r\necho tide\r\n");
    nia.writes("build.bat", "echo tide\n");
    nia.writes("level.js", "#!/usr/bin/env node\r\n");
    nia.writes("fixtures/raw.sh", "#!/bin/sh\r\n");
    nia.writes("fixtures/.gitattributes", "*.sh -text\n");
    nia.redshank(&APPLY).fine();
    let text = String::from_utf8(nia.reads(".gitattributes")).unwrap();
    assert!(
        text.contains("*.sh text eol=lf\n") && text.contains("*.bat text eol=crlf\n"),
        "{text}"
    );
    assert!(
        text.contains("/level.js text eol=lf\n") && !text.contains("*.js"),
        "only this one is a script: {text}"
    );
    nia.git(&["add", "--all"]);
    assert_eq!(
        nia.git(&["show", ":flash.sh"]).out,
        "#!/bin/sh\necho tide\n"
    );
    assert_eq!(
        nia.git(&["show", ":fixtures/raw.sh"]).out,
        "#!/bin/sh\r\n",
        "left alone on purpose"
    );
    assert_eq!(nia.redshank(&["check", "--class", "needed"]).code, 0);
}

/// A merge, a rebase or a cherry-pick that stopped, with `uplink.log` and `.gitignore` in it.
fn stopped_in(words: &[&str]) -> Person {
    let nia = with_commit(&[
        ("uplink.log", "base\n"),
        ("far.log", "base\n"),
        ("main.c", "1\n"),
    ]);
    nia.git(&["checkout", "-qb", "side"]);
    nia.writes("uplink.log", "side\n");
    nia.writes("main.c", "side\n");
    nia.git(&["commit", "-qam", "side"]);
    nia.git(&["checkout", "-q", "main"]);
    nia.writes("main.c", "main\n");
    nia.git(&["commit", "-qam", "main"]);
    assert_ne!(nia.git_says(words).code, 0);
    nia
}

#[test]
fn what_git_is_in_the_middle_of_is_left_alone() {
    for words in [
        &["merge", "-q", "side"][..],
        &["rebase", "-q", "side"],
        &["rebase", "-q", "--apply", "side"],
        &["cherry-pick", "side"],
    ] {
        let nia = stopped_in(words);
        let (index, head) = (
            nia.reads(".git/index"),
            nia.git(&["status", "--porcelain"]).out,
        );
        let found = nia.redshank(&["check", "--format", "json"]).json();
        let of = |path: &str| {
            found["findings"]
                .as_array()
                .unwrap()
                .iter()
                .find(|f| f["path"] == path)
                .unwrap()
        };
        let (near, far) = (
            of("uplink.log")["id"].as_str(),
            of("far.log")["id"].as_str(),
        );
        if words[0] != "rebase" {
            let said = nia.redshank(&["tidy", "--apply", "--yes", "--skip", far.unwrap()]);
            assert_eq!(said.code, 2, "{words:?}");
            assert!(
                said.err.contains("is not finished, and touches uplink.log"),
                "{words:?}: {}",
                said.err
            );
            assert!(
                index == nia.reads(".git/index") && head == nia.git(&["status", "--porcelain"]).out,
                "{words:?}"
            );
        }
        // What it doesn't touch can be tidied.
        nia.redshank(&["tidy", "--apply", "--yes", "--skip", near.unwrap()])
            .fine();
        assert!(
            !nia.lists("tracked").contains(&"far.log".to_owned()),
            "{words:?}"
        );
        nia.redshank(&["undo", "--yes"]).fine();
        assert_eq!(nia.git(&["status", "--porcelain"]).out, head, "{words:?}");
    }
}

#[test]
fn a_quiet_tidying_says_nothing() {
    let nia = Person::with_repository();
    nia.writes("uplink.log", "");
    let said = nia
        .redshank(&["tidy", "--apply", "--yes", "--quiet"])
        .fine();
    assert_eq!((said.out.as_str(), said.err.as_str()), ("", ""));
    assert_eq!(nia.lists("ignored"), ["uplink.log"]);
}

#[test]
fn a_person_at_a_terminal_chooses_step_by_step() {
    let nia = Person::with_repository();
    nia.writes("uplink.log", "x");
    nia.writes("id_rsa", "x");
    let (question, space, enter) = ("Do it?", " ", "\r");
    let said = nia.redshank_at_a_terminal("tidy", &[(question, enter)]);
    assert!(said.out.contains("nothing was changed"), "{}", said.out);
    assert_eq!(nia.lists("ignored"), [""; 0]);
    let keys = [
        (question, "d\r"),
        (question, "c\r"),
        ("> [x] ignore, by a rule: id_rsa", space),
        ("> [ ]", enter),
        (question, "y\r"),
    ];
    let said = nia.redshank_at_a_terminal("tidy", &keys);
    assert!(
        said.out.contains("+ *.log") && said.out.contains("done"),
        "{}",
        said.out
    );
    assert_eq!(nia.lists("ignored"), ["uplink.log"]);
    assert_eq!(nia.lists("candidate"), [".gitignore", "id_rsa"]);
}

#[test]
fn line_ends_are_kept_the_same_only_for_whoever_asks() {
    let nia = Person::with_repository();
    nia.writes("station.csv", "a\r\nb\r\n");
    nia.writes("tide.raw", "a\r\n\0");
    nia.redshank(&["tidy", "--apply"]).fine();
    assert!(!nia.here().join(".gitattributes").exists());
    let said = nia.redshank(&["tidy", "--line-ends", "--apply"]).fine();
    assert!(said.out.contains("1 file with CR LF"), "{}", said.out);
    nia.git(&["add", "--all"]);
    assert_eq!(nia.git_says(&["show", ":station.csv"]).out, "a\nb\n");
    assert_eq!(nia.git_says(&["show", ":tide.raw"]).bytes, b"a\r\n\0");
    // Once is enough.
    let again = nia.redshank(&["tidy", "--line-ends"]).fine();
    assert!(!again.out.contains("text=auto"), "{}", again.out);
    nia.redshank(&["undo", "--yes"]).fine();
    assert!(!nia.here().join(".gitattributes").exists());
}

#[test]
fn large_files_go_where_somebody_wants_them() {
    let nia = Person::with_repository();
    nia.writes("redshank.toml", "[limits]\nfile_warning = 10\n");
    nia.writes("film/spring tide.mov", "0123456789ab");
    let lines = |way: &str| {
        let said = nia.redshank(&["tidy", "--large", way, "--apply"]);
        let held = ["gitattributes", "gitignore"].map(|name| {
            let text = std::fs::read_to_string(nia.here().join(format!(".{name}")));
            let text = text.unwrap_or_default();
            let mut lines = text.lines().filter(|line| !line.starts_with('#'));
            lines.next_back().unwrap_or_default().to_owned()
        });
        if said.code == 0 {
            nia.redshank(&["undo", "--yes"]).fine();
        }
        (said.code, held)
    };
    assert_eq!(lines("store-type").0, 2, "no storage is set up");
    nia.git(&["config", "filter.lfs.clean", "cat"]);
    let ends = "filter=lfs diff=lfs merge=lfs -text";
    let stored = |pattern: &str| (0, [format!("{pattern} {ends}"), String::new()]);
    assert_eq!(lines("store-type"), stored("*.mov"));
    assert_eq!(lines("store-folder"), stored("/film/**"));
    let kept_out = (0, [String::new(), "/film/spring tide.mov".to_owned()]);
    assert_eq!(lines("keep-out"), kept_out);
}

#[test]
fn limits_hold_for_a_pattern_for_everything_and_for_a_heavy_folder() {
    let nia = Person::with_repository();
    let settings = "[limits]\nfolder_warning = 1000\nrepository = 2000\n\n[[limit]]\npattern = \
                    \"*.psd\"\nfile = 500\n\n[[limit]]\npattern = \"*.png\"\ntotal = 900\n";
    nia.writes("redshank.toml", settings);
    for number in 0..10 {
        nia.writes(&format!("art/{number}.png"), vec![b'x'; 150]);
    }
    nia.writes("art/boat.psd", vec![b'y'; 600]);
    nia.writes("art/paint.c", "int main;\n");
    let found = |nia: &Person| {
        let said = nia.redshank(&["check", "--class", "oversized", "--format", "json"]);
        let said = said.json();
        let findings = said["findings"].as_array().unwrap().iter();
        let each = findings.map(|one| {
            let text = |key: &str| one[key].as_str().unwrap().to_owned();
            (text("rule"), text("path"), one["size"].as_u64().unwrap())
        });
        let mut each: Vec<_> = each.collect();
        each.sort();
        each
    };
    let of = |rule: &str, path: &str, size| (rule.to_owned(), path.to_owned(), size);
    let whole = 10 * 150 + 600 + 10 + settings.len() as u64;
    let folder = of("oversized/folder", "art/", 1510);
    let psd = of("oversized/file", "art/boat.psd", 600);
    let png = of("oversized/total", "redshank.toml", 1500);
    let everything = of("oversized/total", "redshank.toml", whole);
    assert_eq!(found(&nia), [psd, folder, png, everything]);

    nia.git(&["config", "filter.lfs.clean", "cat"]);
    let stored = [
        "tidy",
        "--large",
        "store-type",
        "--apply",
        "--yes",
        "--format",
        "json",
    ];
    let plan = nia.redshank(&stored).fine().json();
    let steps = plan["steps"].as_array().unwrap().iter();
    let mut sizes: Vec<u64> = steps.map(|step| step["size"].as_u64().unwrap()).collect();
    sizes.sort_unstable();
    assert_eq!(
        sizes,
        [600, 1500],
        "each file counts once, the source not at all: {plan}"
    );
    assert_eq!(found(&nia), []);
    // Sources don't belong there.
    nia.writes(
        ".gitattributes",
        "*.c filter=lfs diff=lfs merge=lfs -text\n",
    );
    assert!(found(&nia).contains(&of("oversized/stored-code", "art/paint.c", 10)));
    nia.redshank(&["tidy", "--large", "keep", "--apply", "--yes"])
        .fine();
    assert!(!nia.here().join(".gitignore").exists(), "kept as it is");
    nia.redshank(&["tidy", "--large", "ignore", "--apply", "--yes"])
        .fine();
    assert!(nia.reads(".gitignore").find(b"\n/art/\n").is_some());
}
