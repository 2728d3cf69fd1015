//! Templates: found, read, one's own, chosen, refreshed.

use crate::common::Person;

/// A template of one's own, with something at its end.
fn own(name: &str, more: &str) -> String {
    let head = format!("name = \"{name}\"\ntitle = \"Gauges\"\nrevision = 1\ngroup = \"tool\"\n");
    let rule = "[[rule]]\npattern = \"/readings/\"\nreason = \"what the gauge said\"\nignored = [\"readings/x\"]\n";
    format!("{head}[[recognise]]\nfile = \"gauge.conf\"\n{rule}{more}")
}

#[test]
fn templates_are_found_by_name_title_marker_and_file_type_and_prove_themselves() {
    let nia = Person::new();
    let found = |query: &str| {
        let listed = nia.redshank(&["templates", query, "--format", "jsonl"]).out;
        let names = listed
            .lines()
            .map(|line| serde_json::from_str::<serde_json::Value>(line).unwrap()["name"].clone());
        names
            .map(|name| name.as_str().unwrap().to_owned())
            .collect::<Vec<_>>()
    };
    assert!(found("rust").contains(&"rust".to_owned()));
    assert!(found("pyproject").contains(&"python".to_owned()));
    assert!(found("Notebooks").contains(&"notebooks".to_owned()));
    assert!(found(".tfstate").contains(&"terraform".to_owned()));
    assert!(found("*.ipynb").contains(&"notebooks".to_owned()));
    assert!(found("").len() >= 180);
    assert_eq!(nia.redshank(&["templates", "no-such-thing"]).code, 1);
    let tested = nia.redshank(&["templates", "test"]).fine().out;
    assert!(tested.ends_with(", 0 failed\n"), "{tested}");
    let lost = nia.redshank(&["templates", "show", "pyhton"]);
    assert!(
        lost.code == 2 && lost.err.contains("did you mean `python`"),
        "{}",
        lost.err
    );
}

#[test]
fn the_nearer_template_of_a_name_counts_and_says_so() {
    let nia = Person::with_repository();
    nia.writes("site/gauge.conf", "");
    nia.writes("site/readings/1.dat", "");
    let personal = "../home/.config/redshank/templates/gauge.toml";
    nia.writes(
        personal,
        own("gauge", "")
            .replace("/readings/", "/mine/")
            .replace("readings/x", "mine/x"),
    );
    assert!(
        nia.redshank(&["templates", "gauge"])
            .fine()
            .out
            .contains("(yours)")
    );
    assert!(nia.redshank(&["draft"]).fine().out.contains("/site/mine/"));
    nia.writes(".redshank/templates/gauge.toml", own("gauge", ""));
    let listed = nia
        .redshank(&["templates", "gauge", "--format", "json"])
        .fine()
        .json();
    assert_eq!(
        (&listed[0]["origin"], &listed[0]["hides"]),
        (&"team".into(), &true.into())
    );
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    assert_eq!(nia.lists("ignored"), ["site/readings/1.dat"]);
    nia.agrees_with_git();
    // The built-in one gives way, too.
    nia.writes(".redshank/templates/rust.toml", own("rust", ""));
    assert!(
        nia.redshank(&["templates", "show", "rust"])
            .fine()
            .out
            .contains("/readings/")
    );
}

#[test]
fn a_bad_template_is_named_with_its_line_and_nothing_is_written() {
    let cases = [
        ("[[rul]]\n", 11, "did you mean `rule`"),
        ("kept = [\"readings/y\"]\n", 11, "must stay and is ignored"),
        (
            "[[rule]]\npattern = \"out # made\"\nreason = \"x\"\n",
            12,
            "a comment must have a line of its own",
        ),
        (
            "[[rule]]\npattern = \"../other/\"\nreason = \"x\"\n",
            12,
            "is outside the project",
        ),
        (
            "[[rule]]\npattern = \"# none\"\nreason = \"x\"\n",
            12,
            "not one rule to git",
        ),
        (
            "[[rule]]\npattern = \"a\\nb\"\nreason = \"x\"\n",
            1,
            "not one rule to git",
        ),
        (
            "[[rule]]\npattern = \"[a\"\nreason = \"x\"\n",
            12,
            "no path can match",
        ),
        (
            "[[variant]]\nname = \"v\"\ntitle = \"x\"\ndrops = [\"/other/\"]\n",
            14,
            "which the template doesn't have",
        ),
        (
            "[[output]]\nfile = \"x\"\nformat = \"text\"\nkey = \"(\"\nreason = \"x\"\n",
            14,
            "unclosed group",
        ),
    ];
    for (more, line, said) in cases {
        let nia = Person::with_repository();
        nia.writes("gauge.conf", "");
        nia.writes(".redshank/templates/gauge.toml", own("gauge", more));
        let answer = nia.redshank(&["draft", "--write", "--yes"]);
        assert_eq!(answer.code, 2, "{more}: {}", answer.out);
        assert!(answer.err.contains(said), "{more}: {}", answer.err);
        assert!(
            answer.err.contains(&format!("gauge.toml, line {line}: ")),
            "{more}: {}",
            answer.err
        );
        assert!(!nia.here().join(".gitignore").exists(), "{more}");
    }
}

#[test]
fn templates_in_a_circle_under_two_names_or_behind_a_link_are_refused() {
    let nia = Person::with_repository();
    let refused = |said: &str| {
        let answer = nia.redshank(&["draft", "--write", "--yes"]);
        assert!(
            answer.code == 2 && answer.err.contains(said),
            "{said}: {}",
            answer.err
        );
    };
    nia.writes(
        ".redshank/templates/a.toml",
        own("a", "").replace("[[rec", "with = [\"b\"]\n[[rec"),
    );
    nia.writes(
        ".redshank/templates/b.toml",
        own("b", "").replace("[[rec", "with = [\"a\"]\n[[rec"),
    );
    refused("leads in a circle: `a` → `b` → `a`");
    nia.writes(".redshank/templates/b.toml", own("a", ""));
    refused("not named after its template");
    let folder = nia.here().join(".redshank");
    std::fs::rename(&folder, nia.home().join("elsewhere")).unwrap();
    std::os::unix::fs::symlink(nia.home().join("elsewhere"), &folder).unwrap();
    refused("is a symbolic link");
    assert!(!nia.here().join(".gitignore").exists());
}

#[test]
fn a_prepared_file_becomes_a_template() {
    let nia = Person::with_repository();
    nia.writes(
        "mine.txt",
        "# what the gauge said\nreadings/\n*.dat\n\n!keep.dat\n/a\\ b\n",
    );
    let new = ["templates", "new", "gauge", "--from", "mine.txt"];
    let shown = nia.redshank(&new).fine().out;
    assert!(
        shown.contains("reason = \"what the gauge said\"")
            && shown.contains("ignored = [\"readings/any\"]"),
        "{shown}"
    );
    assert!(!nia.here().join(".redshank").exists());
    nia.redshank(&[&new[..], &["--write"]].concat()).fine();
    let tested = nia.redshank(&["templates", "test", "gauge"]).fine().out;
    assert!(
        tested.starts_with("1 template, ") && tested.ends_with(" 0 failed\n"),
        "{tested}"
    );
    assert_eq!(
        nia.redshank(&[&new[..], &["--write"]].concat()).code,
        2,
        "what is there is not written over"
    );
    nia.redshank(&["draft", "gauge", "--write", "--yes"]).fine();
    for (path, ignored) in [
        ("x/readings/1", 0),
        ("x.dat", 0),
        ("keep.dat", 1),
        ("a b", 0),
    ] {
        assert_eq!(
            nia.git_says(&["check-ignore", "-q", "--no-index", path])
                .code,
            ignored,
            "{path}"
        );
    }
    nia.writes("bad.txt", "*.log\nout\\cache # x\n");
    let bad = nia.redshank(&["templates", "new", "bad", "--from", "bad.txt"]);
    assert!(
        bad.code == 2 && bad.err.contains("bad.txt, line 2"),
        "{}",
        bad.err
    );
}

#[test]
fn choices_are_remembered_and_every_layout_holds_for_git() {
    for layout in ["top", "folders"] {
        let nia = Person::with_repository();
        for (path, contents) in [
            ("Cargo.toml", "[package]"),
            ("target/x", ""),
            ("web/package.json", "{}"),
            ("web/node_modules/a/x.js", ""),
            ("web/.vscode/settings.json", "{}"),
            ("a/b/c d/pyproject.toml", ""),
            ("a/b/c d/m/__pycache__/m.pyc", ""),
            ("a/b/c d/dist/x.whl", ""),
            (
                "redshank.toml",
                "# ours\n[limits]\nfile_warning = \"5 MiB\"\n",
            ),
        ] {
            nia.writes(path, contents);
        }
        let choices = [
            "--layout",
            layout,
            "--variant",
            "vscode/share-nothing",
            "--without",
            "/dist/",
        ];
        nia.redshank(&[&["draft", "--write", "--yes"], &choices[..]].concat())
            .fine();
        let ignored = [
            "a/b/c d/m/__pycache__/m.pyc",
            "target/x",
            "web/.vscode/settings.json",
            "web/node_modules/a/x.js",
        ];
        assert_eq!(nia.lists("ignored"), ignored, "{layout}");
        assert_eq!(
            nia.here().join("web/.gitignore").exists(),
            layout == "folders"
        );
        nia.agrees_with_git();
        let settings = String::from_utf8(nia.reads("redshank.toml")).unwrap();
        assert!(
            settings.starts_with("# ours\n[limits]\nfile_warning = \"5 MiB\"\n"),
            "{settings}"
        );
        assert!(
            settings.contains("variants = [\"vscode/share-nothing\"]"),
            "{settings}"
        );
        // Remembered: neither the finder nor another draft brings back what wasn't wanted.
        assert!(
            nia.redshank(&["draft"])
                .fine()
                .out
                .contains("nothing to write")
        );
        let found = nia.redshank(&["check", "--format", "json"]).json();
        assert_eq!(found["findings"].as_array().unwrap().len(), 0, "{found}");
        nia.redshank(&["undo", "--yes"]).fine();
        assert!(!nia.here().join(".gitignore").exists());
    }
    let nia = Person::with_repository();
    for (wrong, near) in [
        (["--variant", "vscode/share-nothin"], "share-nothing"),
        (["--without", "/dst/"], "no template"),
    ] {
        let answer = nia.redshank(&["draft", wrong[0], wrong[1]]);
        assert!(
            answer.code == 2 && answer.err.contains(near),
            "{}",
            answer.err
        );
    }
}

#[test]
fn a_newer_template_comes_in_beside_a_persons_edits() {
    let nia = Person::with_repository();
    nia.writes("gauge.conf", "");
    nia.writes(".gitignore", "/readings/\nours\n");
    let rule = |pattern: &str, more: &str| {
        let example = pattern.trim_matches('/');
        format!(
            "[[rule]]\npattern = \"{pattern}\"\nreason = \"{example}\"\nignored = [\"{example}/x\"]\n{more}"
        )
    };
    let template = ".redshank/templates/gauge.toml";
    nia.writes(
        template,
        own(
            "gauge",
            &[rule("/old/", ""), rule("/gone/", ""), rule("/same/", "")].concat(),
        ),
    );
    let said = nia
        .redshank(&["draft", "--take-over", "--write", "--yes"])
        .fine()
        .out;
    let text = |nia: &Person| String::from_utf8(nia.reads(".gitignore")).unwrap();
    assert!(text(&nia).starts_with("ours\n"), "taken over: {said}");
    nia.writes(
        ".gitignore",
        text(&nia)
            .replace("/old/\n", "/older/\n")
            .replace("/same/\n", "/same/\n/added/\n"),
    );
    let newer = [
        rule("/new/", "replaces = \"/old/\"\n"),
        rule("/same/", ""),
        rule("/fresh/", ""),
    ]
    .concat();
    nia.writes(
        template,
        own("gauge", &newer).replace("revision = 1", "revision = 2"),
    );
    assert!(
        nia.redshank(&["draft"])
            .fine()
            .out
            .contains("--refresh brings it in")
    );
    let said = nia
        .redshank(&["draft", "--refresh", "--write", "--yes"])
        .fine()
        .out;
    assert!(
        said.contains("conflict in `gauge`: you changed `/old/`, the template has `/new/`"),
        "{said}"
    );
    let rules = |text: &str| -> Vec<String> {
        text.lines()
            .filter(|line| !line.starts_with('#') && !line.is_empty())
            .map(str::to_owned)
            .collect()
    };
    assert_eq!(
        rules(&text(&nia)),
        [
            "ours",
            "/readings/",
            "/older/",
            "/same/",
            "/fresh/",
            "/added/"
        ]
    );
    let memory = String::from_utf8(nia.reads(".redshank/drafted.toml")).unwrap();
    assert!(memory.contains("gauge = 2"), "{memory}");
    let again = text(&nia);
    nia.redshank(&["draft", "--refresh", "--write", "--yes"])
        .fine();
    assert_eq!(text(&nia), again);
}

#[test]
fn output_that_the_settings_name_is_known_tracked_or_not_but_for_sources() {
    let nia = Person::with_repository();
    for (path, contents) in [
        (
            "web/tsconfig.json",
            "{ // ours\n \"compilerOptions\": {\"outDir\": \"../made\", \"tsBuildInfoFile\": \"memo\"}, }",
        ),
        ("made/main.js", ""),
        ("web/memo", ""),
        ("firmware/meson.build", "project('x', 'c')"),
        ("firmware/odd/meson-private/coredata.dat", ""),
        (
            "kept/tsconfig.json",
            "{\"compilerOptions\": {\"outDir\": \"lib\"}}",
        ),
        ("kept/lib/gauge.ts", "export const level: number = 2.31;\n"),
        (
            "late/tsconfig.json",
            "{\"compilerOptions\": {\"outDir\": \"out\"}}",
        ),
        ("late/out/main.js", ""),
    ] {
        nia.writes(path, contents);
    }
    nia.git(&["add", "kept", "late"]);
    let found = nia.redshank(&["check", "--format", "json"]).json();
    let paths: Vec<&str> = found["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|f| f["path"].as_str().unwrap())
        .collect();
    assert_eq!(paths, ["late/out/", "firmware/odd/", "made/", "web/memo"]);
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    assert_eq!(
        nia.lists("ignored"),
        [
            "firmware/odd/meson-private/coredata.dat",
            "made/main.js",
            "web/memo"
        ]
    );
    nia.agrees_with_git();
}

#[test]
fn a_link_in_the_place_of_a_folder_is_not_missed() {
    let nia = Person::with_repository();
    nia.writes("web/package.json", "{}");
    nia.writes("../elsewhere/left.js", "");
    std::os::unix::fs::symlink("../../elsewhere", nia.here().join("web/node_modules")).unwrap();
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    assert!(
        nia.lists("candidate")
            .contains(&"web/node_modules".to_owned()),
        "the folder rule misses it"
    );
    let found = nia.redshank(&["check", "--format", "json"]).json();
    assert_eq!(found["findings"][0]["path"], "web/node_modules");
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    assert_eq!(nia.lists("ignored"), ["web/node_modules"]);
    nia.agrees_with_git();
}

#[test]
fn a_block_without_its_end_loses_nothing_and_none_needs_a_file_beside_it() {
    let nia = Person::with_repository();
    nia.writes("Cargo.toml", "[package]\n");
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    let whole = String::from_utf8(nia.reads(".gitignore")).unwrap();
    assert!(!nia.here().join(".redshank").exists());
    assert!(whole.contains("# redshank: end (revision"), "{whole}");
    let refresh = &["draft", "--refresh", "--write", "--yes"];
    let again = nia.redshank(refresh).fine().out;
    assert!(
        again.contains("nothing to write"),
        "its lines cover all: {again}"
    );
    // Without its end it is not a block: its lines are the person's, and what they cover isn't
    // repeated.
    let open: String = whole
        .lines()
        .filter(|line| !line.starts_with("# redshank: end"))
        .map(|line| format!("{line}\n"))
        .collect();
    nia.writes(".gitignore", &open);
    nia.redshank(refresh).fine();
    assert!(nia.reads(".gitignore").starts_with(open.as_bytes()));
    nia.agrees_with_git();
    // What can't be read is said, and nothing is written.
    nia.writes(".redshank/drafted.toml", "block = 1\n");
    let answer = nia.redshank(&["draft"]);
    assert!(
        answer.code == 2 && answer.err.contains("drafted.toml, line 1"),
        "{}",
        answer.err
    );
}

/// One block a project, the revision in its first mark, with or without its memory.
#[test]
fn blocks_of_the_first_form_are_turned_over() {
    // The memory of the comment, of `/gateway/target/` and of `/gateway/**/*.rs.bk`, as it was
    // written.
    for memory in ["", "# redshank: wrote UJvbaj_k8HUi\n"] {
        let nia = Person::with_repository();
        nia.writes("gateway/Cargo.toml", "[package]\n");
        let block = format!(
            "*.own\n\n# redshank: begin rust@gateway (revision 1)\n# a build folder\n/gateway/target/\n/mine/\n\
             {memory}# redshank: end rust@gateway\n*.last\n"
        );
        nia.writes(".gitignore", &block);
        let said = nia.redshank(&["draft"]).fine().out;
        assert!(said.contains("nothing to write"), "{said}");
        nia.redshank(&["draft", "--refresh", "--write", "--yes"])
            .fine();
        let text = String::from_utf8(nia.reads(".gitignore")).unwrap();
        assert!(text.starts_with("*.own\n\n"), "{text}");
        assert!(
            text.contains("/mine/\n*.last\n"),
            "what is the person's stays in its place: {text}"
        );
        assert!(
            text.contains("# redshank: begin rust in /gateway/\n/gateway/target/\n"),
            "{text}"
        );
        assert!(!text.contains("rs.bk"), "taken out before: {text}");
        assert!(
            !text.contains("wrote") && !text.contains("rust@gateway"),
            "{text}"
        );
        nia.redshank(&["draft", "--refresh", "--write", "--yes"])
            .fine();
        assert_eq!(String::from_utf8(nia.reads(".gitignore")).unwrap(), text);
        nia.agrees_with_git();
    }
}
