//! Rules that explain themselves in any editor.

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod actions;
mod analysis;
mod attribute_text;
mod client;
mod completion;
mod diagnostics;
mod documents;
mod fixes;
mod here;
mod hints;
mod links;
mod offers;
mod outline;
mod parts;
mod picture;
mod places;
mod progress;
mod pulled;
mod renames;
#[cfg(test)]
mod tests;
mod text_edits;
mod tokens;
mod transport;
mod worker;
mod workspaces;

use analysis::{Analysis, Kind, RuleFacts, RuleFile};
use anyhow::{Context as _, Result, bail};
use client::{Client, capabilities};
use crossbeam_channel::{Receiver, Sender, select, unbounded};
use documents::{Document, Documents, path_of};
use here::EditorView;
use lsp_server::{ErrorCode, Message, Notification, Request, RequestId, Response};
use lsp_types::notification::{
    DidChangeTextDocument, DidChangeWatchedFiles, DidChangeWorkspaceFolders, DidCloseTextDocument,
    DidOpenTextDocument, DidSaveTextDocument, Exit, Notification as _, PublishDiagnostics,
    ShowMessage,
};
use lsp_types::request::{
    CodeActionRequest, CodeLensRefresh, CodeLensRequest, Completion, DocumentDiagnosticRequest,
    DocumentLinkRequest, DocumentSymbolRequest, ExecuteCommand, FoldingRangeRequest,
    GotoDefinition, HoverRequest, Initialize, InlayHintRefreshRequest, InlayHintRequest,
    References, Request as _, SemanticTokensFullRequest, SemanticTokensRangeRequest, Shutdown,
    WillRenameFiles,
};
use lsp_types::{
    CodeActionParams, DidChangeTextDocumentParams, DidChangeWorkspaceFoldersParams,
    DidCloseTextDocumentParams, DidOpenTextDocumentParams, InitializeParams, InitializeResult,
    MessageType, NumberOrString, PublishDiagnosticsParams, RenameFilesParams, ServerInfo,
    ShowMessageParams, Uri,
};
use picture::WorkspaceIndex;
use redshank_text as text;
use renames::Renamed;
use serde::Deserialize;
use serde::de::DeserializeOwned;
use serde_json::Value;
use std::collections::{BTreeSet, HashMap};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use transport::{Incoming, Transport};
use worker::{WorkerEvent, WorkerRequest};
use workspaces::Workspaces;

/// What the server is called.
const NAME: &str = "redshank";

/// Serves an editor over standard input and output until it leaves; `root` is the folder to work in
/// where the editor's own isn't meant. Returns whether the editor took its leave as the protocol
/// wants it: `shutdown`, then `exit`.
///
/// # Errors
/// If the editor can't be written to.
pub fn serve(root: Option<&Path>) -> Result<bool> {
    let transport = Transport::start();
    let Some((id, params, capabilities_given)) = initialized(&transport)? else {
        transport.finish()?;
        return Ok(false);
    };
    let client = Client::read(&params, &capabilities_given);
    let result = InitializeResult {
        capabilities: capabilities(client),
        server_info: Some(ServerInfo {
            name: NAME.to_owned(),
            version: Some(env!("CARGO_PKG_VERSION").to_owned()),
        }),
    };
    transport.send(Message::Response(Response::new_ok(id, result)))?;
    let (found, news) = unbounded();
    let (loose, texts) = unbounded();
    let found_loose = found.clone();
    std::thread::spawn(move || worker::work_without_tree(&texts, &found_loose));
    let folders = match root {
        Some(root) => vec![root.to_owned()],
        None => folders(&params),
    };
    let mut server = Server {
        transport: &transport,
        found,
        workspaces: Workspaces::default(),
        loose,
        view: EditorView {
            columns: client.columns,
            folders: Vec::new(),
            shows_disabled: client.shows_disabled,
        },
        client,
        open: Documents::default(),
        known: HashMap::new(),
        asked: 0,
        is_hint_asked: false,
        is_shut_down: false,
        pulled: Vec::new(),
        progress: HashMap::new(),
    };
    for folder in folders {
        server.add_folder(folder)?;
    }
    let is_clean = server.serve(&news)?;
    drop(server);
    transport.finish()?;
    Ok(is_clean)
}

/// Waits for the editor's first request, and answers others until then (LSP 3.17, initialize);
/// nothing if it leaves at once. With its capabilities as it wrote them.
fn initialized(transport: &Transport) -> Result<Option<(RequestId, InitializeParams, Value)>> {
    for incoming in &transport.incoming {
        let request = match incoming {
            Incoming::Message(Message::Request(request)) => request,
            Incoming::Message(Message::Notification(told)) if told.method == Exit::METHOD => break,
            _ => continue,
        };
        let id = request.id.clone();
        let refused = if request.method == Initialize::METHOD {
            let given = request.params["capabilities"].clone();
            match serde_json::from_value(request.params) {
                Ok(params) => return Ok(Some((id, params, given))),
                Err(error) => (ErrorCode::InvalidParams, error.to_string()),
            }
        } else {
            let said = "initialize comes first".to_owned();
            (ErrorCode::ServerNotInitialized, said)
        };
        let response = Response::new_err(id, refused.0 as i32, refused.1);
        transport.send(Message::Response(response))?;
    }
    Ok(None)
}

/// The folders that the editor works in; none where it shows single files.
fn folders(params: &InitializeParams) -> Vec<PathBuf> {
    let folders = params.workspace_folders.iter().flatten();
    let uris: Vec<&Uri> = folders.map(|folder| &folder.uri).collect();
    #[allow(deprecated, reason = "what older editors send")]
    let root = params.root_uri.iter().filter(|_| uris.is_empty());
    let all = uris.iter().copied().chain(root);
    all.filter_map(path_of).collect()
}

/// The conversation with the editor.
struct Server<'c> {
    transport: &'c Transport,
    /// What each thread of a working tree sends its news by.
    found: Sender<WorkerEvent>,
    workspaces: Workspaces,
    /// For texts that are in no working tree.
    loose: Sender<WorkerRequest>,
    view: EditorView,
    client: Client,
    open: Documents,
    known: HashMap<String, Arc<Analysis>>,
    /// How many questions we have asked.
    asked: i32,
    /// Hints were given for what is no longer so.
    is_hint_asked: bool,
    /// The editor said that it is going to leave.
    is_shut_down: bool,
    /// Questions about what is wrong with a text of which that isn't known yet.
    pulled: Vec<(RequestId, Uri)>,
    /// The working trees that are looked at for the first time, each with the token by which the
    /// editor shows so.
    progress: HashMap<PathBuf, NumberOrString>,
}

impl Server<'_> {
    /// Answers until the editor leaves; returns whether it said so before.
    fn serve(&mut self, news: &Receiver<WorkerEvent>) -> Result<bool> {
        let incoming = &self.transport.incoming;
        loop {
            select! {
                recv(incoming) -> message => match message {
                    Ok(Incoming::Message(Message::Request(request))) => self.answer(request)?,
                    Ok(Incoming::Message(Message::Notification(told))) => {
                        if told.method == Exit::METHOD {
                            return Ok(self.is_shut_down);
                        }
                        self.take_in(told)?;
                    }
                    Ok(Incoming::Message(Message::Response(_)) | Incoming::Unreadable) => {}
                    // The editor is gone without a word.
                    Err(_) => return Ok(false),
                },
                recv(news) -> found => self.learn(found.context("nobody looks at texts any more")?)?,
            }
        }
    }

    fn answer(&mut self, request: Request) -> Result<()> {
        let id = request.id.clone();
        let answered = match request.method.as_str() {
            _ if self.is_shut_down => {
                let said = "the server is shut down".to_owned();
                Err((ErrorCode::InvalidRequest, said))
            }
            Shutdown::METHOD => {
                self.is_shut_down = true;
                Ok(Value::Null)
            }
            HoverRequest::METHOD => self.with(request, Self::hover),
            InlayHintRequest::METHOD => {
                self.is_hint_asked = true;
                self.with(request, Self::hints)
            }
            CodeLensRequest::METHOD => {
                self.is_hint_asked = true;
                self.with(request, Self::lenses)
            }
            Completion::METHOD => self.with(request, Self::complete),
            CodeActionRequest::METHOD => match serde_json::from_value(request.params) {
                // The thread of the working tree answers.
                Ok(params) => return self.ask_for_actions(id, params),
                Err(error) => Err((ErrorCode::InvalidParams, error.to_string())),
            },
            DocumentDiagnosticRequest::METHOD => match serde_json::from_value(request.params) {
                Ok(params) => return self.pull(id, params),
                Err(error) => Err((ErrorCode::InvalidParams, error.to_string())),
            },
            WillRenameFiles::METHOD => match serde_json::from_value(request.params) {
                // The thread of the working tree answers.
                Ok(params) => return self.ask_for_renames(id, &params),
                Err(error) => Err((ErrorCode::InvalidParams, error.to_string())),
            },
            SemanticTokensFullRequest::METHOD => self.with(request, Self::tokens),
            SemanticTokensRangeRequest::METHOD => self.with(request, Self::tokens_in_sight),
            DocumentLinkRequest::METHOD => self.with(request, Self::links),
            GotoDefinition::METHOD => self.with(request, Self::definition),
            References::METHOD => self.with(request, Self::references),
            FoldingRangeRequest::METHOD => self.with(request, Self::folding),
            DocumentSymbolRequest::METHOD => self.with(request, Self::symbols),
            ExecuteCommand::METHOD => self.with(request, Self::why),
            unknown => Err((
                ErrorCode::MethodNotFound,
                format!("{unknown} is not known here"),
            )),
        };
        let response = match answered {
            Ok(answer) => Response::new_ok(id, answer),
            Err((code, said)) => Response::new_err(id, code as i32, said),
        };
        self.transport.send(Message::Response(response))
    }

    fn ask_for_actions(&self, id: RequestId, params: CodeActionParams) -> Result<()> {
        let document = self.open.get(&params.text_document.uri);
        let home = document.and_then(|document| document.home.as_deref());
        self.send_to(home, WorkerRequest::Actions(id, params))
    }

    fn ask_for_renames(&self, id: RequestId, params: &RenameFilesParams) -> Result<()> {
        let files = Renamed::read(params);
        let home = files
            .iter()
            .find_map(|file| self.workspaces.top_of(file.from()));
        self.send_to(home, WorkerRequest::Renames(id, files))
    }

    fn with<P: DeserializeOwned>(
        &self,
        request: Request,
        answer: impl Fn(&Self, P) -> Value,
    ) -> std::result::Result<Value, (ErrorCode, String)> {
        match serde_json::from_value(request.params) {
            Ok(params) => Ok(answer(self, params)),
            Err(error) => Err((ErrorCode::InvalidParams, error.to_string())),
        }
    }

    fn take_in(&mut self, told: Notification) -> Result<()> {
        match told.method.as_str() {
            DidOpenTextDocument::METHOD => {
                let Some(params) = read::<DidOpenTextDocumentParams>(told.params) else {
                    return Ok(());
                };
                let uri = params.text_document.uri.clone();
                let mut home = None;
                self.open.open(params, |path| {
                    home = self.workspaces.home_of(path, &self.view, &self.found);
                    home.clone()
                });
                tracing::debug!("{} is looked at in {home:?}", uri.as_str());
                self.begin_progress()?;
                self.tell_open(home.as_deref())
            }
            DidChangeTextDocument::METHOD => {
                let Some(params) = read::<DidChangeTextDocumentParams>(told.params) else {
                    return Ok(());
                };
                let uri = params.text_document.uri.clone();
                self.open.change(params, self.view.columns);
                let Some(document) = self.open.get(&uri) else {
                    return Ok(());
                };
                self.tell_open(document.home.as_deref())
            }
            DidCloseTextDocument::METHOD => {
                let Some(params) = read::<DidCloseTextDocumentParams>(told.params) else {
                    return Ok(());
                };
                let uri = params.text_document.uri;
                let Some(document) = self.open.close(&uri) else {
                    return Ok(());
                };
                self.known.remove(uri.as_str());
                if self.client.pulls {
                    self.answer_pulled(&uri, false)?;
                } else {
                    self.publish(&uri, None, Vec::new())?;
                }
                self.tell_open(document.home.as_deref())
            }
            DidChangeWorkspaceFolders::METHOD => {
                let Some(params) = read::<DidChangeWorkspaceFoldersParams>(told.params) else {
                    return Ok(());
                };
                for folder in &params.event.removed {
                    if let Some(folder) = path_of(&folder.uri) {
                        self.view.folders.retain(|(named, _)| *named != folder);
                    }
                }
                for folder in &params.event.added {
                    if let Some(folder) = path_of(&folder.uri) {
                        self.add_folder(folder)?;
                    }
                }
                Ok(())
            }
            DidSaveTextDocument::METHOD | DidChangeWatchedFiles::METHOD => {
                self.workspaces.disk_changed();
                Ok(())
            }
            _ => Ok(()),
        }
    }

    /// Starts to look at a folder of the editor's; says so where that can't be done.
    fn add_folder(&mut self, folder: PathBuf) -> Result<()> {
        let Ok(resolved) = redshank_files::canonical(&folder) else {
            let said = format!(
                "{} isn't there, so nothing in it is looked at",
                folder.display()
            );
            return self.warn(said);
        };
        self.view.folders.push((folder, resolved.clone()));
        if let Err(error) = self.workspaces.add(&resolved, &self.view, &self.found) {
            return self.warn(text::describe(&error.into()));
        }
        self.begin_progress()?;
        // Texts that were in no working tree may be in this one.
        let mut homes: BTreeSet<PathBuf> = BTreeSet::new();
        for document in self
            .open
            .iter_mut()
            .filter(|document| document.home.is_none())
        {
            document.home = self
                .workspaces
                .home_of(&document.path, &self.view, &self.found);
            homes.extend(document.home.clone());
        }
        homes.iter().try_for_each(|home| self.tell_open(Some(home)))
    }

    fn warn(&self, said: String) -> Result<()> {
        let params = ShowMessageParams {
            typ: MessageType::WARNING,
            message: said,
        };
        self.transport.tell::<ShowMessage>(&params)
    }

    /// Tells the thread of a working tree which of its texts are open now, and how they are.
    fn tell_open(&self, home: Option<&Path>) -> Result<()> {
        self.send_to(home, WorkerRequest::Open(self.open.in_tree(home)))
    }

    fn send_to(&self, home: Option<&Path>, request: WorkerRequest) -> Result<()> {
        let jobs = match home {
            Some(home) => self.workspaces.jobs_of(home),
            None => Some(&self.loose),
        };
        let sent = jobs.is_none_or(|jobs| jobs.send(request).is_ok());
        if !sent {
            bail!("the working tree is gone");
        }
        Ok(())
    }

    fn learn(&mut self, found: WorkerEvent) -> Result<()> {
        match found {
            WorkerEvent::WorkspaceIndex(picture) => {
                self.end_progress(&picture.top)?;
                self.workspaces.learn(picture);
                Ok(())
            }
            WorkerEvent::Answer(id, answer) => self
                .transport
                .send(Message::Response(Response::new_ok(id, answer))),
            WorkerEvent::Document(uri, analysis) => {
                let Some(document) = self.open.iter().find(|one| one.uri.as_str() == uri) else {
                    return Ok(());
                };
                // What is known of an older state of it is news no longer.
                if document.version != analysis.version {
                    return Ok(());
                }
                let (uri, version) = (document.uri.clone(), document.version);
                let before = self.known.insert(uri.to_string(), analysis);
                if self.client.pulls {
                    let is_again = before.is_some_and(|before| before.version == version);
                    self.answer_pulled(&uri, is_again)?;
                } else {
                    self.publish(&uri, Some(version), self.diagnostics(&uri))?;
                }
                self.refresh_hints()
            }
        }
    }

    fn publish(
        &self,
        uri: &Uri,
        version: Option<i32>,
        diagnostics: Vec<lsp_types::Diagnostic>,
    ) -> Result<()> {
        let params = PublishDiagnosticsParams {
            uri: uri.clone(),
            diagnostics,
            version,
        };
        self.transport.tell::<PublishDiagnostics>(&params)
    }

    fn refresh_hints(&mut self) -> Result<()> {
        if !self.client.refreshes_hints || !self.is_hint_asked {
            return Ok(());
        }
        self.ask(if self.client.has_hints {
            InlayHintRefreshRequest::METHOD
        } else {
            CodeLensRefresh::METHOD
        })
    }

    /// Asks the editor for something that needs no words.
    fn ask(&mut self, method: &str) -> Result<()> {
        self.ask_with(method, Value::Null)
    }

    fn ask_with(&mut self, method: &str, params: Value) -> Result<()> {
        self.asked += 1;
        let request = Request::new(self.asked.into(), method.to_owned(), params);
        self.transport.send(Message::Request(request))
    }

    /// A text, and what is known of it.
    fn known(&self, uri: &Uri) -> Option<(&Document, &Analysis)> {
        Some((self.open.get(uri)?, self.known.get(uri.as_str())?))
    }

    /// The picture of the working tree that a text is in.
    fn picture_of(&self, document: &Document) -> Arc<WorkspaceIndex> {
        let home = document.home.as_deref();
        let picture = home.and_then(|home| self.workspaces.picture_of(home));
        picture.unwrap_or_default()
    }

    /// The rule in a line of a file of rules, as far as the line is still what was looked at.
    fn rule_at(&self, uri: &Uri, line: u32) -> Option<(&Document, &RuleFile, &RuleFacts)> {
        let (document, analysis) = self.known(uri)?;
        let Kind::Rules(file) = &analysis.kind else {
            return None;
        };
        let at = file
            .rules
            .binary_search_by_key(&line, |rule| rule.line)
            .ok()?;
        let facts = &file.rules[at];
        let is_same = document.line(line).trim_end().as_bytes() == facts.text.trim_ascii_end();
        is_same.then_some((document, file, facts))
    }
}

fn read<T: for<'de> Deserialize<'de>>(params: Value) -> Option<T> {
    serde_json::from_value(params).ok()
}
