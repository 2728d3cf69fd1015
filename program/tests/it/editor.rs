//! The language server, by a client that speaks the protocol and nothing else. A real editor drives
//! it in tests/editor/.

use crate::common::{Person, made_up_of, private_key};
use serde_json::{Value, json};
use std::io::{BufRead, BufReader, Read, Write};
use std::process::{Child, ChildStdin, ChildStdout};

/// An editor with the server running.
pub struct Client {
    child: Child,
    to: ChildStdin,
    from: BufReader<ChildStdout>,
    asked: i64,
    root: String,
    /// What the server told of each file last.
    told: Vec<(String, Value)>,
}

impl Client {
    /// One with the person's folder open.
    pub fn of(nia: &Person) -> Self {
        let root = format!("file://{}", nia.here().display());
        Self::start(nia, Some(&root))
    }

    fn start(nia: &Person, root: Option<&str>) -> Self {
        let capabilities = json!({
            "general": {"positionEncodings": ["utf-8"]},
            "textDocument": {"inlayHint": {}},
        });
        Self::with(nia, root, capabilities)
    }

    /// One of an editor that can do this.
    pub fn with(nia: &Person, root: Option<&str>, capabilities: Value) -> Self {
        let mut child = nia.starts(&["editor"]);
        let (to, from) = (child.stdin.take().unwrap(), child.stdout.take().unwrap());
        let mut client = Self {
            child,
            to,
            from: BufReader::new(from),
            asked: 0,
            root: format!("file://{}", nia.here().display()),
            told: Vec::new(),
        };
        let params = json!({"processId": null, "rootUri": root, "capabilities": capabilities});
        let said = client.asks("initialize", params);
        assert_eq!(said["capabilities"]["positionEncoding"], "utf-8");
        client.tells("initialized", json!({}));
        client
    }

    pub fn writes(&mut self, message: &Value) {
        let text = message.to_string();
        write!(self.to, "Content-Length: {}\r\n\r\n{text}", text.len()).unwrap();
        self.to.flush().unwrap();
    }

    pub fn reads(&mut self) -> Value {
        let mut length = 0;
        loop {
            let mut line = String::new();
            assert!(
                self.from.read_line(&mut line).unwrap() > 0,
                "the server is gone"
            );
            match line.trim_end().split_once(": ") {
                Some(("Content-Length", many)) => length = many.parse().unwrap(),
                Some(_) => {}
                None => break,
            }
        }
        let mut text = vec![0; length];
        self.from.read_exact(&mut text).unwrap();
        let message: Value = serde_json::from_slice(&text).unwrap();
        assert!(
            has_small_numbers(&message),
            "beyond the protocol: {message}"
        );
        if message["method"] == "textDocument/publishDiagnostics" {
            let uri = message["params"]["uri"].as_str().unwrap().to_owned();
            self.told.push((uri, message["params"].clone()));
        }
        message
    }

    pub fn tells(&mut self, method: &str, params: Value) {
        self.writes(&json!({"jsonrpc": "2.0", "method": method, "params": params}));
    }

    /// Asks, and waits for the answer.
    pub fn asks(&mut self, method: &str, params: Value) -> Value {
        self.asked += 1;
        let id = self.asked;
        self.writes(&json!({"jsonrpc": "2.0", "id": id, "method": method, "params": params}));
        loop {
            let message = self.reads();
            if message["id"] == id && message.get("method").is_none() {
                return match message.get("error") {
                    Some(error) => error.clone(),
                    None => message["result"].clone(),
                };
            }
        }
    }

    pub fn uri(&self, file: &str) -> String {
        format!("{}/{file}", self.root)
    }

    /// Opens a text, or changes it, and gives what the server says is wrong with that state of it.
    pub fn types(&mut self, file: &str, version: i64, text: &str) -> Vec<Value> {
        let uri = self.uri(file);
        if version == 1 {
            let document = json!({"uri": uri, "languageId": "x", "version": 1, "text": text});
            self.tells("textDocument/didOpen", json!({"textDocument": document}));
        } else {
            let change = json!({
                "textDocument": {"uri": uri, "version": version},
                "contentChanges": [{"text": text}],
            });
            self.tells("textDocument/didChange", change);
        }
        self.hears(file, version)
    }

    /// Waits for what is wrong with a state of a text.
    fn hears(&mut self, file: &str, version: i64) -> Vec<Value> {
        self.hears_of(&self.uri(file), version)
    }

    fn hears_of(&mut self, uri: &str, version: i64) -> Vec<Value> {
        loop {
            let known = self
                .told
                .iter()
                .rposition(|(of, told)| of == uri && told["version"] == version);
            if let Some(at) = known {
                let (_, told) = self.told.remove(at);
                return told["diagnostics"].as_array().unwrap().clone();
            }
            self.reads();
        }
    }

    fn at(&self, file: &str, line: u32, character: u32) -> Value {
        json!({
            "textDocument": {"uri": self.uri(file)},
            "position": {"line": line, "character": character},
        })
    }

    fn hints(&mut self, file: &str) -> Vec<String> {
        let range =
            json!({"start": {"line": 0, "character": 0}, "end": {"line": 99, "character": 0}});
        let params = json!({"textDocument": {"uri": self.uri(file)}, "range": range});
        let hints = self.asks("textDocument/inlayHint", params);
        let label = |hint: &Value| {
            format!(
                "{}: {}",
                hint["position"]["line"],
                hint["label"].as_str().unwrap()
            )
        };
        hints.as_array().unwrap().iter().map(label).collect()
    }

    pub fn actions(&mut self, file: &str, line: u32, diagnostics: &[Value]) -> Vec<Value> {
        let place = json!({"line": line, "character": 0});
        let params = json!({
            "textDocument": {"uri": self.uri(file)},
            "range": {"start": place, "end": place},
            "context": {"diagnostics": diagnostics},
        });
        self.asks("textDocument/codeAction", params)
            .as_array()
            .unwrap()
            .clone()
    }

    pub fn leaves(mut self) {
        assert_eq!(self.asks("shutdown", Value::Null), Value::Null);
        self.tells("exit", Value::Null);
        assert!(self.child.wait().unwrap().success());
    }
}

fn codes(diagnostics: &[Value]) -> Vec<String> {
    let code = |one: &Value| {
        let line = &one["range"]["start"]["line"];
        format!("{line}: {}", one["code"].as_str().unwrap_or("-"))
    };
    diagnostics.iter().map(code).collect()
}

pub fn ground() -> Person {
    let nia = Person::with_repository();
    for path in ["a.raw", "deep/b.raw", "out/c.o", "notes.txt"] {
        nia.writes(path, "1");
    }
    nia.writes("sub/.gitignore", "");
    nia
}

#[test]
fn rules_explain_themselves_while_they_are_typed() {
    let nia = ground();
    let mut client = Client::of(&nia);
    assert_eq!(codes(&client.types(".gitignore", 1, "")), [""; 0]);
    let text = "*.raw\n/out\\c.o\n*.nowhere\nx[\n*.raw\n!notes.txt\n";
    let wrong = client.types(".gitignore", 2, text);
    assert_eq!(
        codes(&wrong),
        [
            "0: duplicate",
            "1: misread",
            "2: catches-nothing",
            "3: impossible"
        ]
    );
    assert_eq!(wrong[2]["tags"], json!([1]), "greyed as unnecessary");
    assert_eq!(
        client.hints(".gitignore"),
        ["4: ignores 2 files, 2 B", "5: re-includes 1 file, 1 B"]
    );
    let place = client.at(".gitignore", 4, 1);
    let hover = client.asks("textDocument/hover", place);
    let said = hover["contents"]["value"].as_str().unwrap();
    for part in [
        "every file and folder",
        "at any depth",
        "- `a.raw`",
        "- `deep/b.raw`",
    ] {
        assert!(said.contains(part), "{part} in {said}");
    }
    let place = client.at(".gitignore", 4, 1);
    let found = client.asks(
        "textDocument/references",
        json!({
            "textDocument": place["textDocument"], "position": place["position"],
            "context": {"includeDeclaration": true},
        }),
    );
    assert_eq!(found[1]["uri"], client.uri("deep/b.raw"));
    // And back, from a file to the rule on disk.
    nia.writes(".gitignore", "# out\n/out/\n");
    let file = client.uri("out/c.o");
    let mut why = Value::Null;
    while why.is_null() {
        let asked = json!({"command": "redshank.why", "arguments": [file]});
        why = client.asks("workspace/executeCommand", asked);
    }
    assert_eq!(why["uri"], client.uri(".gitignore"));
    assert_eq!(why["range"]["start"]["line"], 1);
    std::fs::remove_file(nia.here().join(".gitignore")).unwrap();
    // What is wrong is corrected at one key.
    let actions = client.actions(".gitignore", 1, &wrong[1..2]);
    assert_eq!(actions[0]["title"], "Write `/out/c.o`");
    let edit = &actions[0]["edit"]["documentChanges"][0]["edits"][0];
    assert_eq!(edit["newText"], "/out/c.o");
    assert_eq!(edit["range"]["start"], json!({"line": 1, "character": 0}));
    assert_eq!(
        codes(&client.types(".gitignore", 3, "*.raw\n/out/c.o\n")),
        [""; 0]
    );
    client.leaves();
    // Nothing was written.
    assert!(!nia.here().join(".gitignore").exists());
}

#[test]
fn a_rule_can_be_changed_moved_and_expected() {
    let nia = ground();
    let mut client = Client::of(&nia);
    client.types("sub/.gitignore", 1, "*.raw\n");
    nia.writes("sub/d.raw", "12");
    // The server sees by itself that the disk has changed.
    while client.hints("sub/.gitignore") != ["0: ignores 1 file, 2 B"] {
        client.tells("workspace/didChangeWatchedFiles", json!({"changes": []}));
        client.reads();
    }
    let actions = client.actions("sub/.gitignore", 0, &[]);
    let titles: Vec<&str> = actions
        .iter()
        .map(|one| one["title"].as_str().unwrap())
        .collect();
    for title in [
        "Only beside this file: `/*.raw`",
        "Only the first that it catches: `/d.raw`",
        "Expect \"sub/d.raw\" to stay ignored",
    ] {
        assert!(titles.contains(&title), "{title} in {titles:?}");
    }
    let moved = actions.iter().find(|one| {
        one["title"]
            .as_str()
            .unwrap()
            .starts_with("Only in this clone")
    });
    let changes = moved.unwrap()["edit"]["documentChanges"]
        .as_array()
        .unwrap();
    assert!(
        changes
            .iter()
            .any(|one| one["edits"][0]["newText"] == "/sub/**/*.raw\n")
    );
    assert!(changes.iter().any(|one| one["edits"][0]["newText"] == ""));
    client.leaves();
}

/// The text that an action puts in, by the start of its title.
fn text_of(actions: &[Value], title: &str) -> Option<String> {
    let found = actions
        .iter()
        .find(|one| one["title"].as_str().unwrap().starts_with(title))?;
    let changes = found["edit"]["documentChanges"].as_array().unwrap();
    let edit = &changes.last().unwrap()["edits"][0];
    Some(edit["newText"].as_str().unwrap().to_owned())
}

#[test]
fn a_folder_is_left_open_where_it_is_and_for_what_is_meant() {
    let nia = Person::with_repository();
    for path in [
        "sub/build/k.txt",
        "sub/build/x.o",
        "sub/sub/build/x.o",
        "pearl/x",
        "sage/pearl/keep.txt",
        "sage/pearl/y",
    ] {
        nia.writes(path, "1");
    }
    let mut client = Client::of(&nia);
    let wrong = client.types("sub/.gitignore", 1, "/build/\n!/build/k.txt\n");
    assert_eq!(codes(&wrong), ["1: cannot-work"]);
    let actions = client.actions("sub/.gitignore", 1, &wrong);
    assert_eq!(
        text_of(&actions, "Leave the folder open").unwrap(),
        "/build/*"
    );
    // The rule ignores other folders, too, and goes on doing so.
    client.types(".gitignore", 1, "pearl/\n!/sage/pearl/keep.txt\n");
    let actions = client.actions(".gitignore", 1, &[]);
    assert_eq!(
        text_of(&actions, "Leave the folder open").unwrap(),
        "pearl/\n!/sage/pearl/\n/sage/pearl/*"
    );
    client.leaves();
}

/// What is typed and not saved yet is neither lost nor counted past.
#[test]
fn actions_are_about_texts_as_they_are_typed() {
    let nia = ground();
    nia.writes("Cargo.toml", "[package]\nname = \"gauge\"\n");
    nia.writes("redshank.toml", "visibility = \"private\"\n");
    let mut client = Client::of(&nia);
    let typed = "visibility = \"private\"\n\n[draft]\nlayout = \"top\"";
    client.types("redshank.toml", 1, "");
    client.types("redshank.toml", 5, typed);
    client.types(".gitignore", 1, "*.raw\n");
    let actions = client.actions(".gitignore", 0, &[]);
    let expect = actions
        .iter()
        .find(|one| one["title"].as_str().unwrap().starts_with("Expect"));
    let change = &expect.unwrap()["edit"]["documentChanges"][0];
    assert_eq!(change["textDocument"]["version"], 5);
    let edit = &change["edits"][0];
    assert_eq!(edit["range"]["start"], json!({"line": 3, "character": 14}));
    assert!(
        edit["newText"]
            .as_str()
            .unwrap()
            .starts_with("\n\n[[expect]]"),
        "{edit}"
    );
    // What a draft would write is for the file on disk.
    let draft = |actions: &[Value]| {
        let mut all = actions.iter();
        all.any(|one| one["title"] == "Add the rules for the projects here")
    };
    assert!(!draft(&actions), "{actions:?}");
    nia.writes(".gitignore", "*.raw\n");
    client.tells(
        "textDocument/didSave",
        json!({"textDocument": {"uri": client.uri(".gitignore")}}),
    );
    let saved = client.actions(".gitignore", 0, &[]);
    assert!(draft(&saved), "{saved:?}");
    let source = client.asks(
        "textDocument/codeAction",
        json!({
            "textDocument": {"uri": client.uri(".gitignore")},
            "range": {"start": {"line": 0, "character": 0}, "end": {"line": 0, "character": 0}},
            "context": {"diagnostics": [], "only": ["source"]},
        }),
    );
    let kinds: Vec<&Value> = source
        .as_array()
        .unwrap()
        .iter()
        .map(|one| &one["kind"])
        .collect();
    assert_eq!(kinds, ["source"]);
    client.leaves();
}

#[test]
fn each_text_is_looked_at_in_its_own_repository() {
    let nia = ground();
    nia.writes("inner/.gitignore", "");
    nia.writes("inner/only.here", "1");
    nia.git(&["init", "-q", "inner"]);
    let mut client = Client::of(&nia);
    assert_eq!(
        codes(&client.types("inner/.gitignore", 1, "*.here\n")),
        [""; 0]
    );
    assert_eq!(client.hints("inner/.gitignore"), ["0: ignores 1 file, 1 B"]);
    // A text that has no place yet, and a folder that comes later.
    let key = private_key();
    let document =
        json!({"uri": "untitled:Untitled-1", "languageId": "", "version": 3, "text": key});
    client.tells("textDocument/didOpen", json!({"textDocument": document}));
    assert_eq!(
        codes(&client.hears_of("untitled:Untitled-1", 3)),
        ["0: secret/private-key"]
    );
    let other = tempfile::tempdir().unwrap();
    std::fs::write(other.path().join("a.raw"), "1").unwrap();
    let uri = format!("file://{}", other.path().display());
    let event = json!({"event": {"added": [{"uri": uri, "name": "other"}], "removed": []}});
    client.tells("workspace/didChangeWorkspaceFolders", event);
    let file = format!("{uri}/.gitignore");
    let document = json!({"uri": file, "languageId": "", "version": 1, "text": "*.raw\n*.no\n"});
    client.tells("textDocument/didOpen", json!({"textDocument": document}));
    assert_eq!(codes(&client.hears_of(&file, 1)), ["1: catches-nothing"]);
    client.leaves();
}

#[test]
fn a_folder_through_a_link_and_parts_of_texts_that_change() {
    let nia = ground();
    let link = nia.here().with_file_name("link");
    std::os::unix::fs::symlink(nia.here(), &link).unwrap();
    let mut client = Client::start(&nia, Some(&format!("file://{}", link.display())));
    client.root = format!("file://{}", link.display());
    assert_eq!(
        codes(&client.types(".gitignore", 1, "*.raw\n*.x\n")),
        ["1: catches-nothing"]
    );
    // Only a part of the text is sent.
    let place = |line, character| json!({"line": line, "character": character});
    client.tells("textDocument/didChange", json!({
        "textDocument": {"uri": client.uri(".gitignore"), "version": 2},
        "contentChanges": [{"range": {"start": place(1, 2), "end": place(1, 3)}, "text": "txt"}],
    }));
    assert_eq!(codes(&client.hears(".gitignore", 2)), [""; 0]);
    assert_eq!(
        client.hints(".gitignore"),
        ["0: ignores 2 files, 2 B", "1: ignores 1 file, 1 B"]
    );
    // Files are named as the editor names its folder.
    let place = client.at(".gitignore", 0, 1);
    let found = client.asks("textDocument/definition", place);
    assert_eq!(found[0]["uri"], client.uri("a.raw"));
    client.leaves();
}

#[test]
fn what_is_no_message_is_answered_and_the_server_lives() {
    let nia = ground();
    let mut client = Client::start(&nia, None);
    write!(client.to, "Content-Length: 5\r\n\r\n{{abc}}").unwrap();
    client.to.flush().unwrap();
    let refused = client.reads();
    assert_eq!(refused["error"]["code"], -32700, "{refused}");
    assert_eq!(refused["id"], Value::Null);
    // Without a folder, single files are looked at.
    assert_eq!(
        codes(&client.types("a.pem", 1, &private_key())),
        ["0: secret/private-key"]
    );
    assert_eq!(client.asks("shutdown", Value::Null), Value::Null);
    assert_eq!(
        client.asks("textDocument/hover", Value::Null)["code"],
        -32600
    );
    client.tells("exit", Value::Null);
    assert!(client.child.wait().unwrap().success());
    // One that leaves at once gets an error.
    let mut client = Client::of(&nia);
    client.tells("exit", Value::Null);
    assert_eq!(client.child.wait().unwrap().code(), Some(1));
    let mut client = Client::of(&nia);
    write!(
        client.to,
        "Content-Length: 18446744073709551615\r\n\r\n{{}}"
    )
    .unwrap();
    client.to.flush().unwrap();
    assert_eq!(client.reads()["error"]["code"], -32700);
    assert_eq!(client.child.wait().unwrap().code(), Some(1));
}

#[test]
fn a_line_is_completed_by_what_is_there() {
    let nia = ground();
    let mut client = Client::of(&nia);
    client.types(".gitignore", 1, "*.\n/de\n");
    let complete = |client: &mut Client, line, column| -> Vec<String> {
        let place = client.at(".gitignore", line, column);
        let items = client.asks("textDocument/completion", place);
        let label = |item: &Value| {
            let (label, detail) = (
                item["label"].as_str().unwrap(),
                item["detail"].as_str().unwrap(),
            );
            format!("{label}  {detail}")
        };
        items.as_array().unwrap().iter().map(label).collect()
    };
    // The first picture comes a moment after the first answer.
    while complete(&mut client, 0, 2).is_empty() {
        std::thread::sleep(std::time::Duration::from_millis(5));
    }
    let offered = complete(&mut client, 0, 2);
    assert_eq!(offered[0], "*.raw  2 files, 2 B", "{offered:?}");
    assert_eq!(complete(&mut client, 1, 3), ["/deep/  1 file, 1 B"]);
    // What templates know of the projects that are here, and any template by its name.
    nia.writes("Cargo.toml", "[package]\nname = \"gauge\"\n");
    client.types(".gitignore", 2, "tar\nrust\n");
    let is_offered = |item: &String| item.starts_with("/target/  rust: ");
    while !complete(&mut client, 0, 3).iter().any(is_offered) {
        std::thread::sleep(std::time::Duration::from_millis(5));
    }
    let place = client.at(".gitignore", 1, 4);
    let offered = client.asks("textDocument/completion", place);
    let text = offered[0]["textEdit"]["newText"].as_str().unwrap();
    assert!(
        text.starts_with("# Rust with Cargo\n") && text.contains("\n/target/"),
        "{text}"
    );
    client.types("redshank.toml", 1, "[draft]\nvariants = [\"crystal/");
    let place = client.at("redshank.toml", 1, 21);
    let offered = client.asks("textDocument/completion", place);
    assert_eq!(offered[0]["label"], "crystal/written-docs", "{offered}");
    client.types(".redshank/templates/x.toml", 1, "class = \"gen");
    let place = client.at(".redshank/templates/x.toml", 0, 12);
    let offered = client.asks("textDocument/completion", place);
    assert_eq!(offered[0]["label"], "generated", "{offered}");
    client.leaves();
}

#[test]
fn lines_of_attributes_are_looked_at_and_completed() {
    let nia = ground();
    let mut client = Client::of(&nia);
    let text = "*.raw -text\n*.txt dif=x\nout/ -text\n*.o binary\n*.o binary\n*.\n*.raw fil\n";
    let wrong = client.types(".gitattributes", 1, text);
    let expected = ["1: misspelt", "2: dropped", "3: overridden", "5: dropped"];
    assert_eq!(codes(&wrong), expected);
    let hints = client.hints(".gitattributes");
    assert!(hints.contains(&"4: decides 1 file".to_owned()), "{hints:?}");
    let complete = |client: &mut Client, line, column| {
        let place = client.at(".gitattributes", line, column);
        let items = client.asks("textDocument/completion", place);
        items[0]["label"].as_str().unwrap_or_default().to_owned()
    };
    while complete(&mut client, 5, 2).is_empty() {
        std::thread::sleep(std::time::Duration::from_millis(5));
    }
    assert_eq!(complete(&mut client, 5, 2), "*.raw");
    assert_eq!(complete(&mut client, 6, 9), "filter");
    client.leaves();
}

#[test]
fn secrets_settings_and_templates_are_looked_at_before_they_are_saved() {
    let nia = ground();
    let mut client = Client::of(&nia);
    assert_eq!(codes(&client.types("key.pem", 1, "")), [""; 0]);
    let key = private_key();
    let wrong = client.types("key.pem", 2, &key);
    assert_eq!(codes(&wrong), ["0: secret/private-key"]);
    let inside = key.lines().nth(1).unwrap();
    assert!(!json!(wrong).to_string().contains(inside), "{wrong:?}");
    let actions = client.actions("key.pem", 0, &wrong);
    let accept = &actions[0]["edit"]["documentChanges"][1]["edits"][0]["newText"];
    let accept = accept.as_str().unwrap();
    assert!(accept.contains("because = \"\""), "{accept}");
    // Without a reason it doesn't count.
    nia.writes("key.pem", &key);
    nia.writes("redshank.toml", accept);
    assert_eq!(nia.redshank(&["check", "key.pem"]).code, 1);
    let wrong = client.types("redshank.toml", 1, accept);
    assert!(
        wrong[0]["message"]
            .as_str()
            .unwrap()
            .contains("give a reason"),
        "{wrong:?}"
    );
    let expected = "[[expect]]\npath = \"a.raw\"\nstate = \"ignored\"\n";
    let wrong = client.types("redshank.toml", 2, expected);
    assert!(
        wrong[0]["message"]
            .as_str()
            .unwrap()
            .contains("a.raw is a candidate"),
        "{wrong:?}"
    );
    // The rule that is being typed counts.
    client.types(".gitignore", 1, "*.raw\n");
    client.told.clear();
    assert_eq!(codes(&client.types("redshank.toml", 3, expected)), [""; 0]);
    let wrong = client.types("redshank.toml", 4, "[[expect]\n");
    assert_eq!(wrong[0]["severity"], 1);
    let template = "name = \"gauge\"\ntitle = \"Gauges\"\nrevision = 1\ngroup = \"language\"\n[[rule]]\npattern = \"*.g\"\nreason = \"x\"\nignored = [\"a.h\"]\n";
    let wrong = client.types(".redshank/templates/gauge.toml", 1, template);
    assert_eq!(wrong[0]["range"]["start"]["line"], 7, "{wrong:?}");
    client.leaves();
}

#[test]
fn broken_input_ends_nothing() {
    let nia = ground();
    let mut client = Client::of(&nia);
    client.types(".gitignore", 1, "*.raw\n");
    let refused = client.asks("textDocument/hover", json!({"textDocument": 7}));
    assert_eq!(refused["code"], -32602);
    assert_eq!(client.asks("redshank/nothing", Value::Null)["code"], -32601);
    client.tells("textDocument/didChange", json!([1, 2]));
    client.tells(
        "textDocument/didOpen",
        json!({"textDocument": {"uri": "untitled:x", "languageId": "", "version": 1, "text": ""}}),
    );
    for (line, column) in [(0, 99), (7, 0), (u32::MAX, u32::MAX)] {
        let place = client.at(".gitignore", line, column);
        client.asks("textDocument/hover", place.clone());
        client.asks("textDocument/completion", place);
        client.actions(".gitignore", line, &[]);
    }
    // Whatever is typed, in whatever order, the last state counts.
    let odd = [
        "\u{0}",
        "!!",
        "[",
        "\\",
        "***/",
        "a\r\nb",
        "\u{feff}*.raw",
        "é/😀[",
        "/",
        "!",
        " # ",
        "\n\n\n",
    ];
    for (nth, text) in odd.iter().cycle().take(60).enumerate() {
        let version = nth as i64 + 2;
        let change = json!({
            "textDocument": {"uri": client.uri(".gitignore"), "version": version},
            "contentChanges": [{"text": text.repeat(nth % 7)}],
        });
        client.tells("textDocument/didChange", change);
    }
    // Texts of nothing but what patterns are made of, and questions about any place in them.
    let letters = "*?[]!/\\# \n\r\tab.-^:{}é\u{feff}";
    for seed in 0..60 {
        let text = made_up_of(letters, (seed % 23) as usize * 3, seed);
        let version = 100 + seed as i64;
        client.types(".gitignore", version, &text);
        let place = client.at(".gitignore", seed as u32 % 9, seed as u32 % 13);
        client.asks("textDocument/hover", place.clone());
        client.asks("textDocument/completion", place);
        client.actions(".gitignore", seed as u32 % 9, &[]);
    }
    assert_eq!(codes(&client.types(".gitignore", 999, "*.raw\n")), [""; 0]);
    assert_eq!(client.hints(".gitignore"), ["0: ignores 2 files, 2 B"]);
    client.leaves();
}

#[test]
fn what_completes_a_line_stays_in_that_line_in_every_kind_of_file() {
    let nia = ground();
    nia.writes("Cargo.toml", "[package]\nname = \"gauge\"\n");
    let mut client = Client::of(&nia);
    let kinds = [
        (".gitignore", "!/*.tarwdep \n\u{fffd}😀"),
        ("redshank.toml", "[]draft=vrinsw\"/ \n😀"),
        (".redshank/templates/x.toml", "cls = \"gent\"\n😀"),
    ];
    for (file, letters) in kinds {
        for seed in 0..40_u64 {
            let text = match seed % 4 {
                0 => "variants = [\"\nwithout = [\"/t\nclass = \"g\ntar\n".to_owned(),
                _ => made_up_of(letters, (seed % 19) as usize * 4, seed),
            };
            client.types(file, seed as i64 + 1, &text);
            let (line, column) = (seed as u32 % 5, seed as u32 % 15);
            let place = client.at(file, line, column);
            let offered = client.asks("textDocument/completion", place);
            // Places count bytes, as the client asked.
            let typed = text.split('\n').nth(line as usize).unwrap_or("");
            for item in offered.as_array().unwrap() {
                let range = &item["textEdit"]["range"];
                let at = |end: &str| {
                    let place = &range[end];
                    assert_eq!(place["line"], line, "{item} in {text:?}");
                    place["character"].as_u64().unwrap() as usize
                };
                let (start, end) = (at("start"), at("end"));
                assert!(start <= end && end <= typed.len(), "{item} in {text:?}");
                assert!(start <= column as usize, "{item} in {text:?}");
            }
        }
    }
    client.leaves();
}

/// Whether all numbers of places are the protocol's: up to 2^31 - 1.
fn has_small_numbers(message: &Value) -> bool {
    match message {
        Value::Object(fields) => fields.iter().all(|(name, value)| {
            let is_place = ["line", "character"].contains(&name.as_str());
            let is_small = !is_place || value.as_u64().is_none_or(|number| number <= 0x7fff_ffff);
            is_small && has_small_numbers(value)
        }),
        Value::Array(values) => values.iter().all(has_small_numbers),
        _ => true,
    }
}
