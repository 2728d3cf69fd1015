//! Every fix that is offered does what its title says and nothing else: git is asked before and
//! after.

use crate::actions::Actions;
use crate::documents::{Columns, Documents, uri_of};
use crate::here::{EditorView, Here};
use lsp_types::{
    CodeAction, CodeActionParams, DidChangeTextDocumentParams, DidOpenTextDocumentParams,
    DocumentChangeOperation, DocumentChanges, OneOf, TextEdit, Uri,
};
use proptest::prelude::*;
use proptest::sample::select;
use redshank_worktree::Snapshot;
use serde_json::json;
use std::cell::{OnceCell, RefCell};
use std::collections::{BTreeSet, HashMap};
use std::path::Path;
use std::process::Command;
use std::sync::Arc;
use tempfile::TempDir;

const PATHS: [&str; 12] = [
    "k.txt",
    "a/k.txt",
    "a/b/k.txt",
    "a/b/c/x.o",
    "build/k.txt",
    "build/b/k.txt",
    "sub/build/k.txt",
    "sub/build/x.o",
    "sub/sub/build/x.o",
    "sub/a/b/k.txt",
    "sub/[b]/x.o",
    "b/x.o",
];

const RULES: [&str; 26] = [
    "/build/",
    "build/",
    "build",
    "!/build/k.txt",
    "!build/k.txt",
    "!k.txt",
    "*.o",
    "!*.o",
    "*",
    "a/",
    "/a",
    "!a/b/k.txt",
    "!/a/b/",
    "b/",
    "sub/",
    "!/sub/build/x.o",
    "/sub/build/",
    "*/b/",
    "!b/x.o",
    "**/x.o",
    "none",
    "!none",
    "/[[]b]/",
    "!*/",
    "\\",
    "x[",
];

struct Ground {
    folder: TempDir,
    documents: Documents,
}

impl Ground {
    fn new(paths: &BTreeSet<&str>, rules: &[(&str, String)], tracked: bool) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let top = folder.path().canonicalize().unwrap();
        for path in paths {
            write(&top.join(path), "x");
        }
        git(&top, &["init", "-q"]);
        if tracked {
            git(&top, &["add", "--", paths.first().unwrap()]);
        }
        let mut documents = Documents::default();
        for (file, text) in rules {
            write(&top.join(file), text);
            let uri = uri_of(&top.join(file)).unwrap();
            let document = json!({"uri": uri, "languageId": "", "version": 7, "text": text});
            let opened: DidOpenTextDocumentParams =
                serde_json::from_value(json!({"textDocument": document})).unwrap();
            documents.open(opened, |_| Some(top.clone()));
        }
        Self { folder, documents }
    }

    fn top(&self) -> std::path::PathBuf {
        self.folder.path().canonicalize().unwrap()
    }

    /// What the next commit could take in, as git says.
    fn candidates(&self) -> BTreeSet<String> {
        let listed = git(&self.top(), &["ls-files", "-oz", "--exclude-standard"]);
        listed.split('\0').map(str::to_owned).collect()
    }

    /// All actions for a line.
    fn actions(&self, uri: &Uri, line: u32) -> Vec<CodeAction> {
        let snapshot = Snapshot::open(&self.top()).unwrap();
        let here = Here {
            snapshot: &snapshot,
            survey: None,
            collection: None,
            work: RefCell::default(),
        };
        let known = self.documents.iter().map(|document| {
            let analysis = here.analysis(document, &self.documents);
            (document.uri.to_string(), Arc::new(analysis))
        });
        let known: HashMap<_, _> = known.collect();
        let view = EditorView {
            columns: Columns::Utf16,
            folders: Vec::new(),
            shows_disabled: false,
        };
        let place = json!({"line": line, "character": 0});
        let params: CodeActionParams = serde_json::from_value(json!({
            "textDocument": {"uri": uri},
            "range": {"start": place, "end": place},
            "context": {"diagnostics": []},
        }))
        .unwrap();
        let actions = Actions {
            here: &here,
            picture: &here.picture(),
            known: &known,
            open: &self.documents,
            view: &view,
            verdicts: OnceCell::new(),
        };
        actions.at(&params)
    }

    /// Makes the changes of an action on disk, as an editor that saves at once.
    fn apply(&self, action: &CodeAction) {
        let edit = action.edit.as_ref().unwrap();
        let Some(DocumentChanges::Operations(changes)) = &edit.document_changes else {
            panic!("no changes of documents");
        };
        for change in changes {
            let DocumentChangeOperation::Edit(change) = change else {
                continue;
            };
            let file = crate::documents::path_of(&change.text_document.uri).unwrap();
            let held = std::fs::read_to_string(&file).unwrap_or_default();
            let edits = change.edits.iter().map(|edit| match edit {
                OneOf::Left(edit) => edit.clone(),
                OneOf::Right(edit) => edit.text_edit.clone(),
            });
            write(
                &file,
                &edited(&change.text_document.uri, &held, edits.collect()),
            );
        }
    }
}

/// The text with changes that do not overlap, the last made ground.
fn edited(uri: &Uri, text: &str, mut edits: Vec<TextEdit>) -> String {
    let mut documents = Documents::default();
    let document = json!({"uri": uri, "languageId": "", "version": 1, "text": text});
    let opened = serde_json::from_value(json!({"textDocument": document})).unwrap();
    documents.open(opened, |_| None);
    edits
        .sort_by_key(|edit| std::cmp::Reverse((edit.range.start.line, edit.range.start.character)));
    for edit in edits {
        let change = json!({
            "textDocument": {"uri": uri, "version": 2},
            "contentChanges": [{"range": edit.range, "text": edit.new_text}],
        });
        let change: DidChangeTextDocumentParams = serde_json::from_value(change).unwrap();
        documents.change(change, Columns::Utf16);
    }
    documents.get(uri).unwrap().text.to_string()
}

fn write(file: &Path, text: &str) {
    std::fs::create_dir_all(file.parent().unwrap()).unwrap();
    std::fs::write(file, text).unwrap();
}

fn git(top: &Path, words: &[&str]) -> String {
    let output = Command::new("git")
        .args(words)
        .current_dir(top)
        .output()
        .unwrap();
    assert!(output.status.success(), "{words:?}");
    String::from_utf8(output.stdout).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig {
        cases: ProptestConfig::default().cases / 16,
        ..ProptestConfig::default()
    })]

    #[test]
    fn a_fix_changes_what_its_title_says(
        paths in proptest::collection::btree_set(select(&PATHS[..]), 2..9),
        at_top in proptest::collection::vec(select(&RULES[..]), 1..5),
        below in proptest::collection::vec(select(&RULES[..]), 0..4),
        ends in any::<bool>(),
        tracked in any::<bool>(),
    ) {
        let end = if ends { "\n" } else { "" };
        let texts = [
            (".gitignore", at_top.join("\n") + end),
            ("sub/.gitignore", below.join("\n") + end),
        ];
        let all: Vec<(&str, u32)> = [(".gitignore", &at_top), ("sub/.gitignore", &below)]
            .iter()
            .flat_map(|(file, rules)| (0..rules.len() as u32).map(move |line| (*file, line)))
            .collect();
        let ground = Ground::new(&paths, &texts, tracked);
        let before = ground.candidates();
        for (file, line) in all {
            let uri = uri_of(&ground.top().join(file)).unwrap();
            for action in &ground.actions(&uri, line) {
                let title = &action.title;
                let is_of_interest = title.starts_with("Take the line out")
                    || title.starts_with("Keep this file")
                    || title.starts_with("Leave the folder open")
                    || title.starts_with("Only in this clone");
                if !is_of_interest {
                    continue;
                }
                ground.apply(action);
                let after = ground.candidates();
                for (file, text) in &texts {
                    write(&ground.top().join(file), text);
                }
                write(&ground.top().join(".git/info/exclude"), "");
                let included: Vec<&String> = after.difference(&before).collect();
                let ignored: Vec<&String> = before.difference(&after).collect();
                let said = format!("{title} in {file}:{line}: +{included:?} -{ignored:?}");
                prop_assert!(ignored.is_empty(), "{}", said);
                if title.starts_with("Keep this file") {
                    prop_assert!(included.iter().all(|path| *path == file), "{}", said);
                } else if let Some(folder) = title.strip_prefix("Leave the folder open: `/") {
                    let base = file.strip_suffix(".gitignore").unwrap();
                    let folder = format!("{base}{}", folder.trim_end_matches("*`"));
                    let folder = folder.replace('\\', "");
                    let mut included = included.iter();
                    prop_assert!(included.len() > 0, "{}", said);
                    prop_assert!(included.all(|path| path.starts_with(&folder)), "{}", said);
                } else {
                    prop_assert!(included.is_empty(), "{}", said);
                }
            }
        }
    }
}
