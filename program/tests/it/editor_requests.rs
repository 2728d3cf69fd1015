//! What good editors ask a language server beyond the usual: colours, links, renames, what is wrong
//! when they want to know, how long it takes, and fixes for rules that take somebody's work.

use crate::common::Person;
use crate::editor::{Client, ground};
use serde_json::{Value, json};

fn document(client: &Client, file: &str) -> Value {
    json!({"textDocument": {"uri": client.uri(file)}})
}

#[test]
fn each_part_of_a_line_has_its_colour() {
    let nia = ground();
    let mut client = Client::of(&nia);
    client.types(".gitignore", 1, "# raw\n!/é*\\*[a]\n\nx/\n");
    let asked = document(&client, ".gitignore");
    let colours = client.asks("textDocument/semanticTokens/full", asked.clone());
    // Line, start, length, type; each from the one before it.
    let wanted = json!([
        0, 0, 5, 0, 0, // the comment
        1, 0, 1, 2, 0, // !
        0, 1, 3, 3, 0, // /é, in bytes as agreed
        0, 3, 1, 4, 0, // *
        0, 1, 2, 3, 0, // \*
        0, 2, 3, 4, 0, // [a]
        2, 0, 2, 3, 0,
    ]);
    assert_eq!(colours["data"], wanted);
    let range = json!({"start": {"line": 3, "character": 0}, "end": {"line": 3, "character": 2}});
    let sight = json!({"textDocument": asked["textDocument"], "range": range});
    let colours = client.asks("textDocument/semanticTokens/range", sight);
    assert_eq!(colours["data"], json!([3, 0, 2, 3, 0]));
    client.types(".gitattributes", 1, "*.raw -text diff=tide\n");
    let asked = document(&client, ".gitattributes");
    let colours = client.asks("textDocument/semanticTokens/full", asked);
    let types: Vec<u64> = colours["data"]
        .as_array()
        .unwrap()
        .chunks(5)
        .map(|one| one[3].as_u64().unwrap())
        .collect();
    assert_eq!(types, [4, 3, 2, 5, 5, 6]);
    client.leaves();
}

#[test]
fn a_block_leads_to_its_template() {
    let nia = Person::with_repository();
    nia.writes("web/package.json", "{}");
    nia.writes(".redshank/templates/gauge.toml", GAUGE);
    nia.writes("gauge.cfg", "");
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    let text = text_of(&nia);
    let mut client = Client::of(&nia);
    client.types(".gitignore", 1, &text);
    let mut links = json!([]);
    // The picture of the tree comes after what is open.
    while links == json!([]) {
        let asked = document(&client, ".gitignore");
        links = client.asks("textDocument/documentLink", asked);
    }
    let targets: Vec<&str> = links
        .as_array()
        .unwrap()
        .iter()
        .map(|one| one["target"].as_str().unwrap())
        .collect();
    assert!(
        targets.contains(&&*client.uri("web/package.json")),
        "{targets:?}"
    );
    assert!(
        targets.contains(&&*client.uri(".redshank/templates/gauge.toml")),
        "{targets:?}"
    );
    client.leaves();
}

fn text_of(nia: &Person) -> String {
    String::from_utf8(nia.reads(".gitignore")).unwrap()
}

const GAUGE: &str = r#"
name = "gauge"
title = "A gauge"
revision = 1
group = "tool"

[[recognise]]
file = "gauge.cfg"

[[rule]]
pattern = "/readings/"
class = "generated"
reason = "what the gauge measured"
ignored = ["readings/today.txt"]
kept = ["readings.md"]
"#;

#[test]
fn rules_follow_what_gets_another_name() {
    let nia = Person::with_repository();
    for path in [
        "data/raw/a.bin",
        "data/raw/b/c.bin",
        "web/raw2/x",
        "tools/out/y",
        "app/out/z",
    ] {
        nia.writes(path, "1");
    }
    nia.writes("web/package.json", "{}");
    let rules = "# /data/raw/\n/data/raw/*.bin\n!data/raw/b/\nraw/\nout/\n/data/rawer\n*.raw\n";
    nia.writes(".gitignore", rules);
    nia.writes("data/.gitignore", "/raw/b/c.bin  \r\nraw\n");
    let mut client = Client::of(&nia);
    client.types(".gitignore", 1, &format!("{rules}unsaved\n"));
    let renamed = |client: &mut Client, from: &str, to: &str| {
        let files = json!([{"oldUri": client.uri(from), "newUri": client.uri(to)}]);
        let edit = client.asks("workspace/willRenameFiles", json!({"files": files}));
        let changes = edit["documentChanges"]
            .as_array()
            .cloned()
            .unwrap_or_default();
        let texts = changes.iter().map(|one| {
            let edit = &one["edits"][0];
            (
                one["textDocument"]["uri"].as_str().unwrap().to_owned(),
                edit["newText"].as_str().unwrap().to_owned(),
            )
        });
        texts.collect::<Vec<_>>()
    };
    let changes = renamed(&mut client, "data/raw", "data/first%20%5B1%5D");
    assert_eq!(
        changes,
        [
            (
                client.uri(".gitignore"),
                "/data/first \\[1]/*.bin\n!data/first \\[1]/b/\nfirst \\[1]/\n".to_owned()
            ),
            (
                client.uri("data/.gitignore"),
                "/first \\[1]/b/c.bin  \r\nfirst \\[1]\n".to_owned()
            ),
        ]
    );
    // Two folders are called so: the rule stays.
    assert_eq!(renamed(&mut client, "app/out", "app/made"), []);
    // Into another folder: what lies in its old one can't name it any more.
    let changes = renamed(&mut client, "data/raw", "raw");
    assert_eq!(changes[0].1, "/raw/*.bin\n!raw/b/\n");
    assert_eq!(changes.len(), 1);
    client.leaves();
}

#[test]
fn a_drafted_block_follows_its_folder() {
    let nia = Person::with_repository();
    nia.writes("web/package.json", "{}");
    nia.writes("web/dist/app.js", "1");
    nia.writes("main.c", "int main;");
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    let text = text_of(&nia);
    assert!(text.contains(" in /web/"), "{text}");
    let mut client = Client::of(&nia);
    client.types(".gitignore", 1, &text);
    let files = json!([{"oldUri": client.uri("web"), "newUri": client.uri("site")}]);
    let edit = client.asks("workspace/willRenameFiles", json!({"files": files}));
    let edit = &edit["documentChanges"][0]["edits"][0];
    let line = |end: &str| edit["range"][end]["line"].as_u64().unwrap() as usize;
    let mut lines: Vec<&str> = text.split_inclusive('\n').collect();
    lines.splice(
        line("start")..line("end"),
        [edit["newText"].as_str().unwrap()],
    );
    client.leaves();
    nia.writes(".gitignore", lines.concat());
    std::fs::rename(nia.here().join("web"), nia.here().join("site")).unwrap();
    // All of it is as a draft for the new place would write it.
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    assert_eq!(text_of(&nia), text.replace("/web/", "/site/"));
}

#[test]
fn an_editor_that_asks_what_is_wrong_is_told_once_it_is_known() {
    let nia = ground();
    let root = format!("file://{}", nia.here().display());
    let mut client = Client::with(
        &nia,
        Some(&root),
        json!({
            "general": {"positionEncodings": ["utf-8"]},
            "textDocument": {"diagnostic": {}},
            "workspace": {"diagnostics": {"refreshSupport": true}},
            "window": {"workDoneProgress": true},
        }),
    );
    let text = "*.nowhere\n";
    let opened =
        json!({"uri": client.uri(".gitignore"), "languageId": "x", "version": 1, "text": text});
    client.tells("textDocument/didOpen", json!({"textDocument": opened}));
    // The first look is shown, and ends.
    let mut kinds = Vec::new();
    while kinds.last() != Some(&json!("end")) {
        let message = client.reads();
        assert_ne!(
            message["method"], "textDocument/publishDiagnostics",
            "asked, not told"
        );
        if message["method"] == "$/progress" {
            kinds.push(message["params"]["value"]["kind"].clone());
        }
    }
    let asked = document(&client, ".gitignore");
    let report = client.asks("textDocument/diagnostic", asked.clone());
    assert_eq!(report["kind"], "full");
    assert_eq!(report["items"][0]["code"], "catches-nothing");
    // A file comes: the editor is asked to ask again.
    nia.writes("a.nowhere", "1");
    client.tells("workspace/didChangeWatchedFiles", json!({"changes": []}));
    while client.reads()["method"] != "workspace/diagnostic/refresh" {}
    let report = client.asks("textDocument/diagnostic", asked);
    assert_eq!(report["items"], json!([]));
    // Nothing is open there, so nothing is known.
    let elsewhere = document(&client, "notes.txt");
    assert_eq!(
        client.asks("textDocument/diagnostic", elsewhere)["items"],
        json!([])
    );
    client.leaves();
}

#[test]
fn a_rule_that_takes_work_names_it_and_keeps_it_at_one_key() {
    let nia = Person::with_repository();
    nia.writes("build/out.o", "\x7fELF\x02\x01\x01");
    nia.writes(
        "src/build/main.py",
        "import tides\n\n# How the gauge is read.\nprint(tides.read())\n",
    );
    nia.writes("src/tides.py", "def read():\n    return 1\n");
    let mut client = Client::of(&nia);
    let wrong = client.types(".gitignore", 1, "build/\n");
    assert_eq!(wrong[0]["code"], "takes-work", "{wrong:?}");
    assert!(wrong[0]["message"].as_str().unwrap().contains("src/build/"));
    let named = &wrong[0]["relatedInformation"][0]["location"]["uri"];
    assert_eq!(*named, client.uri("src/build/main.py"));
    let actions = client.actions(".gitignore", 0, &wrong);
    let fix = &actions[0];
    assert_eq!(fix["title"], "Keep src/build/ by an exception");
    let text = fix["edit"]["documentChanges"][0]["edits"][0]["newText"]
        .as_str()
        .unwrap();
    assert_eq!(text, "build/\n!/src/build/");
    let after = client.types(".gitignore", 2, &format!("{text}\n"));
    assert_eq!(after, [] as [Value; 0]);
    client.leaves();
}
