//! Lines of attribute files: what each does and what is wrong with it, tried, added, removed,
//! expected, and drafted from templates.

use crate::common::Person;
use crate::schemas::valid;
use serde_json::Value;

/// A rower's club with a game in a folder of its own.
fn club() -> Person {
    let nia = Person::with_repository();
    nia.writes(
        "game/ProjectSettings/ProjectVersion.txt",
        "m_EditorVersion: 1\n",
    );
    nia.writes("game/Assets/boat.cs", "class Boat {}\n");
    nia.writes("tool/Cargo.toml", "[package]\nname = \"tool\"\n");
    nia.writes("tool/src/main.rs", "fn main() {}\n");
    nia.writes("run.bat", "echo tide\r\n");
    nia
}

fn text(nia: &Person, path: &str) -> String {
    String::from_utf8(nia.reads(path)).unwrap()
}

#[test]
fn every_line_says_what_it_does() {
    let nia = club();
    nia.writes("photo.png", "x");
    let lines = [
        ("* text=auto", "works"),
        ("*.png binary", "works"),
        ("*.rs dif=rust", "misspelt"),
        ("game/ -text", "dropped"),
        ("!*.cs text", "dropped"),
        ("*.bat eol=CRLF", "bad-value"),
        ("*.cs diff=cpp", "overridden"),
        ("*.scene merge=tidemerge", "no-driver"),
        ("game/**/*.cs -diff", "works"),
        ("*.mp4 -text", "matches-nothing"),
        ("[attr]mine -diff", "works"),
        ("*.csv", "dropped"),
    ];
    let file: String = lines.iter().map(|(line, _)| format!("{line}\n")).collect();
    nia.writes(".gitattributes", file);
    let said = nia
        .redshank(&["rules", "--attributes", "--format", "json"])
        .json();
    valid("attribute-lines", &said);
    let rows = said["lines"].as_array().unwrap();
    let found: Vec<(&str, &str)> = rows
        .iter()
        .map(|row| {
            (
                row["text"].as_str().unwrap(),
                row["standing"].as_str().unwrap(),
            )
        })
        .collect();
    assert_eq!(found, lines);
    assert_eq!(rows[1]["files"], 1);
    let found = nia
        .redshank(&["check", "--class", "rule", "--format", "json"])
        .json();
    let lines = found["findings"].as_array().unwrap().iter();
    let lines: Vec<u64> = lines.map(|one| one["line"].as_u64().unwrap()).collect();
    assert_eq!(
        lines,
        [3, 4, 5, 6, 12],
        "what git drops or ignores: {found}"
    );
    let idle = nia.redshank(&["rules", "--attributes", "--idle"]);
    assert_eq!(idle.code, 1);
    for sentence in [
        "did you mean `diff`?",
        "`folder/**` covers",
        ".gitattributes:9 decides",
    ] {
        assert!(idle.out.contains(sentence), "{sentence}: {}", idle.out);
    }
}

#[test]
fn a_line_is_tried_added_and_removed_with_its_effect() {
    let nia = club();
    nia.writes(".gitattributes", "*.bat -text\r\n");
    let attempt = [
        "try",
        "--attributes",
        "*.bat text eol=crlf",
        "--format",
        "json",
    ];
    let tried = nia.redshank(&attempt).json();
    valid("attribute-effect", &tried);
    let changes: Vec<(&str, Option<&str>, &str)> = tried["changes"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| {
            let value = |key: &str| one[key].as_str();
            (
                value("attribute").unwrap(),
                value("before"),
                value("after").unwrap(),
            )
        })
        .collect();
    assert_eq!(
        changes,
        [("eol", None, "crlf"), ("text", Some("unset"), "set")]
    );
    assert_eq!(
        text(&nia, ".gitattributes"),
        "*.bat -text\r\n",
        "nothing is written by trying"
    );

    let add = [
        "add",
        "--attributes",
        "*.bat text eol=crlf",
        "* text=auto",
        "--write",
        "--yes",
    ];
    nia.redshank(&add).fine();
    let written = "* text=auto\r\n*.bat -text\r\n*.bat text eol=crlf\r\n";
    assert_eq!(
        text(&nia, ".gitattributes"),
        written,
        "the general line comes first"
    );
    let again = nia.redshank(&add).fine();
    assert!(
        again.out.contains("already in .gitattributes"),
        "{}",
        again.out
    );
    nia.redshank(&["drop", "--attributes", "*.bat -text", "--write", "--yes"])
        .fine();
    assert_eq!(
        text(&nia, ".gitattributes"),
        "* text=auto\r\n*.bat text eol=crlf\r\n"
    );
    nia.redshank(&["undo", "--yes"]).fine();
    nia.redshank(&["undo", "--yes"]).fine();
    assert_eq!(text(&nia, ".gitattributes"), "*.bat -text\r\n");

    let clone = [
        "add",
        "--attributes",
        "--for",
        "clone",
        "*.cs -diff",
        "--write",
        "--yes",
    ];
    nia.redshank(&clone).fine();
    assert_eq!(text(&nia, ".git/info/attributes"), "*.cs -diff\n");
    let shown = nia
        .git(&["check-attr", "diff", "--", "game/Assets/boat.cs"])
        .out;
    assert!(shown.ends_with("unset\n"), "{shown}");
    for nothing in ["*.csv", "", "*.x b@d"] {
        let refused = nia.redshank(&["add", "--attributes", nothing, "--write", "--yes"]);
        assert_eq!(refused.code, 2, "{nothing}");
    }
    let vain = nia.redshank(&["try", "--attributes", "game/ -text"]).fine();
    assert!(
        vain.out.contains("folders have no attributes"),
        "{}",
        vain.out
    );
}

#[test]
fn an_expected_attribute_is_proven_by_what_everybody_has() {
    let nia = club();
    nia.writes(".gitattributes", "*.bat text eol=crlf\n");
    nia.writes(
        "redshank.toml",
        "[[expect]]\npath = \"run.bat\"\nattribute = \"eol=crlf\"\n\n[[expect]]\npattern = \
         \"*.cs\"\nattribute = \"-diff\"\n",
    );
    // Only in this clone: a colleague's has no such line.
    nia.writes(".git/info/attributes", "*.cs -diff\n");
    let said = nia.redshank(&["prove", "--format", "json"]);
    assert_eq!(said.code, 1);
    let said = said.json();
    valid("prove", &said);
    assert_eq!((&said["passed"], &said["failed"]), (&1.into(), &1.into()));
    assert_eq!(
        said["expectations"][1]["wrong"][0]["path"],
        "game/Assets/boat.cs"
    );
    // Nor has it what a macro stands for here.
    nia.writes("game/.gitattributes", "*.cs mine\n");
    nia.writes(".git/info/attributes", "[attr]mine -diff\n");
    assert_eq!(nia.redshank(&["prove"]).code, 1);
    nia.writes("game/.gitattributes", "*.cs -diff\n");
    nia.redshank(&["prove"]).fine();
    nia.writes(
        "redshank.toml",
        "[[expect]]\npath = \"a\"\nattribute = \"b@d\"\n",
    );
    let refused = nia.redshank(&["prove"]);
    assert!(
        refused.err.contains("line 1") && refused.code == 2,
        "{}",
        refused.err
    );
}

#[test]
fn a_draft_writes_attributes_above_what_a_person_wrote() {
    let nia = club();
    let own = "# ours\n*.bat -text\n*.sh text\n";
    nia.writes(".gitattributes", own);
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    assert_eq!(
        text(&nia, ".gitattributes"),
        own,
        "not asked for, not written"
    );
    let draft = ["draft", "--attributes", "--write", "--yes"];
    let said = nia.redshank(&draft).fine();
    assert!(said.out.contains("git lfs install"), "{}", said.out);
    let written = text(&nia, ".gitattributes");
    let block = written
        .strip_suffix(own)
        .expect("what a person wrote stays, below");
    assert!(
        block.starts_with("# redshank: begin line-endings, rust, unity\n"),
        "{block}"
    );
    let lines: Vec<&str> = block
        .lines()
        .filter(|line| !line.starts_with('#'))
        .collect();
    assert_eq!(lines[0], "* text=auto");
    for line in [
        "*.rs diff=rust",
        "/game/**/*.unity text eol=lf",
        "*.cmd text eol=crlf",
    ] {
        assert!(lines.contains(&line), "{line} in {block}");
    }
    for absent in ["filter=lfs", "unityyamlmerge"] {
        assert!(!block.contains(absent), "{absent}: neither is set up here");
    }
    let shown = nia.git(&["check-attr", "text", "--", "run.bat"]).out;
    assert!(
        shown.ends_with("unset\n"),
        "the person's line decides: {shown}"
    );
    let again = nia.redshank(&draft).fine();
    assert!(again.out.contains("nothing to write"), "{}", again.out);
    // What somebody takes out of the block stays out.
    let edited = written.replace("*.cmd text eol=crlf\n", "");
    nia.writes(".gitattributes", &edited);
    nia.redshank(&["draft", "--refresh", "--write", "--yes"])
        .fine();
    let kept = text(&nia, ".gitattributes");
    assert!(!kept.contains("*.cmd") && kept.ends_with(own), "{kept}");
    // A driver that comes later brings its lines.
    nia.git(&["config", "merge.unityyamlmerge.driver", "tool"])
        .fine();
    nia.redshank(&["draft", "--refresh", "--write", "--yes"])
        .fine();
    let kept = text(&nia, ".gitattributes");
    assert!(
        kept.contains("/game/**/*.unity merge=unityyamlmerge\n"),
        "{kept}"
    );
    assert!(!kept.contains("*.cmd"), "{kept}");
}

#[test]
fn a_template_of_the_team_carries_attributes() {
    let nia = Person::with_repository();
    let template = "name = \"gauge\"\ntitle = \"Gauges\"\nrevision = 1\ngroup = \
                    \"any\"\n\n[[attribute]]\npattern = \"*.tide\"\nset = [\"-text\", \
                    \"diff=tide\"]\nreason = \"recordings\"\nclass = \"binary\"\n";
    nia.writes(".redshank/templates/gauge.toml", template);
    nia.git(&["config", "diff.tide.textconv", "cat"]).fine();
    let shown = nia.redshank(&["templates", "show", "gauge"]).fine();
    assert!(
        shown.out.contains("*.tide -text diff=tide"),
        "{}",
        shown.out
    );
    nia.redshank(&["draft", "gauge", "--attributes", "--write", "--yes"])
        .fine();
    assert!(text(&nia, ".gitattributes").contains("*.tide -text diff=tide\n"));
    let broken = template.replace("\"*.tide\"", "\"tides/\"");
    nia.writes(".redshank/templates/gauge.toml", broken);
    let refused = nia.redshank(&["templates", "test", "gauge"]);
    assert!(
        refused.code != 0 && refused.err.contains("tides/"),
        "{}",
        refused.err
    );
}

/// With the real extension; without it there is nothing to try.
#[test]
fn large_files_go_to_their_store_and_come_back() {
    let mut nia = club();
    if std::process::Command::new("git-lfs")
        .arg("version")
        .output()
        .is_err()
    {
        return;
    }
    nia.git(&["lfs", "install", "--local"]).fine();
    let picture = vec![7; 300_000];
    nia.writes("game/Assets/boat.png", &picture);
    // A file that git holds whole already keeps its type out of the store.
    nia.writes("game/Assets/old.wav", vec![9; 2000]);
    nia.git(&["add", "game/Assets/old.wav"]).fine();
    nia.git(&["commit", "--quiet", "--message", "sound"]).fine();
    let said = nia
        .redshank(&["draft", "--attributes", "--write", "--yes"])
        .fine();
    assert!(
        said.out.contains("holds such files whole already"),
        "{}",
        said.out
    );
    let file = text(&nia, ".gitattributes");
    assert!(
        file.contains("/game/**/*.png filter=lfs diff=lfs merge=lfs -text\n"),
        "{file}"
    );
    assert!(!file.contains("*.wav"), "{file}");
    nia.git(&["add", "."]).fine();
    nia.git(&["commit", "--quiet", "--message", "game"]).fine();
    let pointer = nia
        .git(&["cat-file", "-p", "HEAD:game/Assets/boat.png"])
        .out;
    assert!(pointer.starts_with("version https://git-lfs"), "{pointer}");
    let clean = nia.git(&["status", "--porcelain"]).out;
    assert_eq!(clean, "");
    // A folder as the remote, and a colleague's clone of it.
    nia.git(&["init", "--quiet", "--bare", "../store.git"])
        .fine();
    let store = nia.here().join("../store.git").canonicalize().unwrap();
    let store = format!("file://{}", store.display());
    nia.git(&["push", "--quiet", &store, "HEAD:refs/heads/main"])
        .fine();
    nia.git(&[
        "clone",
        "--quiet",
        "--branch",
        "main",
        &store,
        "../colleague",
    ])
    .fine();
    nia.goes_to("../colleague");
    let findings = |nia: &Person| {
        let said = nia.redshank(&["check", "--format", "json"]).json();
        let of = |one: &Value| one["path"] == "game/Assets/boat.png";
        let found = said["findings"]
            .as_array()
            .unwrap()
            .iter()
            .filter(|one| of(one));
        found
            .map(|one| one["rule"].as_str().unwrap().to_owned())
            .collect::<Vec<_>>()
    };
    assert_eq!(
        findings(&nia),
        ["oversized/pointer-alone"],
        "nobody installed the extension there"
    );
    // A colleague without it, and one who asks for another type only, take no line away.
    for words in [
        &["draft", "--attributes"][..],
        &["draft", "python", "--attributes"],
    ] {
        let words = [words, &["--refresh", "--write", "--yes"]].concat();
        nia.redshank(&words).fine();
        let file = text(&nia, ".gitattributes");
        assert!(
            file.contains("/game/**/*.png filter=lfs diff=lfs merge=lfs -text\n"),
            "{file}"
        );
    }
    assert!(text(&nia, ".gitattributes").contains("*.py diff=python\n"));
    nia.git(&["lfs", "install", "--local"]).fine();
    nia.git(&["lfs", "pull"]).fine();
    assert_eq!(nia.reads("game/Assets/boat.png"), picture);
    assert_eq!(findings(&nia), [""; 0]);
}

#[test]
fn line_endings_that_git_would_store_otherwise_are_said() {
    let nia = club();
    nia.writes("notes.txt", "one\r\ntwo\r\n");
    nia.git(&["add", "notes.txt"]).fine();
    let add = [
        "add",
        "--attributes",
        "*.txt text eol=lf",
        "--write",
        "--yes",
    ];
    let said = nia.redshank(&add).fine();
    assert!(said.out.contains("git add --renormalize ."), "{}", said.out);
    nia.git(&["add", "--renormalize", "."]).fine();
    assert_eq!(nia.git_says(&["show", ":notes.txt"]).out, "one\ntwo\n");
    // A byte-order mark stays where it is.
    nia.writes("tool/.gitattributes", "\u{feff}*.rs diff=rust\n");
    let general = [
        "add",
        "--attributes",
        "--in",
        "tool",
        "* text=auto",
        "--write",
        "--yes",
    ];
    nia.redshank(&general).fine();
    let written = "\u{feff}* text=auto\n*.rs diff=rust\n";
    assert_eq!(text(&nia, "tool/.gitattributes"), written);
    // A folder has no attributes, and another program's words are none.
    nia.writes("sub/.gitattributes", "[attr]mine -diff\n*.txt mine\n");
    let said = nia.redshank(&["rules", "--attributes", "--idle"]);
    assert!(said.out.contains("macros are only defined"), "{}", said.out);
    // What a person has for everything is shown, and not written.
    let home = nia.home().join(".config/git");
    std::fs::create_dir_all(&home).unwrap();
    std::fs::write(home.join("attributes"), "*.cs -text\n").unwrap();
    let said = nia
        .redshank(&["why", "--attributes", "game/Assets/boat.cs"])
        .fine();
    assert!(said.out.contains("git/attributes, line 1"), "{}", said.out);
    let words = [
        "add",
        "--attributes",
        "--for",
        "personal",
        "*.cs text",
        "--write",
        "--yes",
    ];
    let refused = nia.redshank(&words);
    assert!(
        refused.code == 2 && refused.err.contains("--for team"),
        "{}",
        refused.err
    );
}
