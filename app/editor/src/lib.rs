//! Rules that explain themselves in any editor.

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod actions;
mod analysis;
mod completion;
mod diagnostics;
mod documents;
mod hints;
mod offers;
mod parts;
mod places;

use analysis::{Analysis, Kind, RuleFacts, RuleFile, WorkerEvent, WorkerRequest, WorkspaceIndex};
use anyhow::{Context as _, Result, bail};
use crossbeam_channel::{Receiver, Sender, select, unbounded};
use documents::{Columns, Document, Documents, path_of};
use lsp_server::{Connection, ErrorCode, Message, Notification, Request, Response};
use lsp_types::notification::{
    DidChangeTextDocument, DidChangeWatchedFiles, DidCloseTextDocument, DidOpenTextDocument,
    DidSaveTextDocument, Notification as _, PublishDiagnostics,
};
use lsp_types::request::{
    CodeActionRequest, CodeLensRefresh, CodeLensRequest, Completion, ExecuteCommand,
    GotoDefinition, HoverRequest, InlayHintRefreshRequest, InlayHintRequest, References,
    Request as _,
};
use lsp_types::{
    CodeActionKind, CodeActionOptions, CodeActionProviderCapability, CodeLensOptions,
    CompletionOptions, ExecuteCommandOptions, HoverProviderCapability, InitializeParams,
    InitializeResult, OneOf, PublishDiagnosticsParams, ServerCapabilities, ServerInfo,
    TextDocumentSyncCapability, TextDocumentSyncKind, TextDocumentSyncOptions,
    TextDocumentSyncSaveOptions, Uri,
};
use redshank_watch as watch;
use redshank_worktree::Snapshot;
use serde::Deserialize;
use serde::de::DeserializeOwned;
use serde_json::{Value, json};
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Serves an editor over standard input and output until it leaves; `root` is the folder to work in
/// where the editor's own isn't meant.
///
/// # Errors
/// If the editor names no folder, there is no repository, or the editor breaks off.
pub fn serve(root: Option<&Path>) -> Result<()> {
    let (connection, threads) = Connection::stdio();
    let (id, params) = connection.initialize_start()?;
    let params: InitializeParams = serde_json::from_value(params)?;
    let folder = folder(&params, root)?;
    // An error here is one that the person's editor shows.
    let top = Snapshot::open(&folder)?.top.clone();
    let general = params.capabilities.general.as_ref();
    let offered = general.and_then(|general| general.position_encodings.as_deref());
    let columns = Columns::offered(offered);
    // An editor without hints in its lines may show them between these.
    let document = params.capabilities.text_document.as_ref();
    let has_hints = document.is_some_and(|document| document.inlay_hint.is_some());
    let result = InitializeResult {
        capabilities: capabilities(columns, has_hints),
        server_info: Some(ServerInfo {
            name: NAME.to_owned(),
            version: Some(env!("CARGO_PKG_VERSION").to_owned()),
        }),
    };
    connection.initialize_finish(id, serde_json::to_value(result)?)?;
    let workspace = params.capabilities.workspace.as_ref();
    let refreshes = workspace.map(|workspace| {
        if has_hints {
            workspace
                .inlay_hint
                .as_ref()
                .and_then(|one| one.refresh_support)
        } else {
            workspace
                .code_lens
                .as_ref()
                .and_then(|one| one.refresh_support)
        }
    });
    let (jobs, todo) = unbounded();
    let (found, news) = unbounded();
    let here = top.clone();
    std::thread::spawn(move || analysis::work(&here, &todo, &found));
    let changed = jobs.clone();
    let _watcher = watch::tree(&top, move || {
        changed.send(WorkerRequest::DiskChanged).is_ok()
    });
    let mut server = Server {
        connection: &connection,
        jobs,
        columns,
        has_hints,
        refreshes_hints: refreshes.flatten() == Some(true),
        open: Documents::default(),
        known: HashMap::new(),
        picture: Arc::default(),
        asked: 0,
        is_hint_asked: false,
    };
    server.serve(&news)?;
    drop(server);
    drop(connection);
    threads.join()?;
    Ok(())
}

/// What the server is called.
const NAME: &str = "redshank";

/// The folder that the editor works in.
fn folder(params: &InitializeParams, root: Option<&Path>) -> Result<PathBuf> {
    if let Some(root) = root {
        return Ok(root.to_owned());
    }
    let folders = params.workspace_folders.iter().flatten();
    let mut uris = folders.map(|folder| &folder.uri);
    #[allow(deprecated, reason = "what older editors send")]
    let root = uris.next().or(params.root_uri.as_ref());
    match root.and_then(path_of) {
        Some(folder) => Ok(folder),
        None => bail!("the editor named no folder to work in\n  open one, or start it with --root"),
    }
}

fn capabilities(columns: Columns, has_hints: bool) -> ServerCapabilities {
    ServerCapabilities {
        position_encoding: Some(columns.kind()),
        text_document_sync: Some(TextDocumentSyncCapability::Options(
            TextDocumentSyncOptions {
                open_close: Some(true),
                change: Some(TextDocumentSyncKind::FULL),
                save: Some(TextDocumentSyncSaveOptions::Supported(true)),
                ..TextDocumentSyncOptions::default()
            },
        )),
        hover_provider: Some(HoverProviderCapability::Simple(true)),
        inlay_hint_provider: has_hints.then_some(OneOf::Left(true)),
        code_lens_provider: (!has_hints).then_some(CodeLensOptions {
            resolve_provider: Some(false),
        }),
        completion_provider: Some(CompletionOptions {
            trigger_characters: Some(["/", "*", ".", "\""].map(str::to_owned).to_vec()),
            ..CompletionOptions::default()
        }),
        definition_provider: Some(OneOf::Left(true)),
        references_provider: Some(OneOf::Left(true)),
        execute_command_provider: Some(ExecuteCommandOptions {
            commands: vec![places::WHY.to_owned()],
            ..ExecuteCommandOptions::default()
        }),
        code_action_provider: Some(CodeActionProviderCapability::Options(CodeActionOptions {
            code_action_kinds: Some(vec![
                CodeActionKind::QUICKFIX,
                CodeActionKind::REFACTOR_REWRITE,
                CodeActionKind::SOURCE,
            ]),
            ..CodeActionOptions::default()
        })),
        ..ServerCapabilities::default()
    }
}

/// The conversation with the editor.
struct Server<'c> {
    connection: &'c Connection,
    jobs: Sender<WorkerRequest>,
    columns: Columns,
    /// The editor shows hints in its lines, not between them.
    has_hints: bool,
    /// The editor can be told that its hints are old.
    refreshes_hints: bool,
    open: Documents,
    known: HashMap<String, Arc<Analysis>>,
    picture: Arc<WorkspaceIndex>,
    /// How many questions we have asked.
    asked: i32,
    /// Hints were given for what is no longer so.
    is_hint_asked: bool,
}

impl Server<'_> {
    fn serve(&mut self, news: &Receiver<WorkerEvent>) -> Result<()> {
        loop {
            select! {
                recv(self.connection.receiver) -> message => match message {
                    Ok(Message::Request(request)) => {
                        if self.connection.handle_shutdown(&request)? {
                            return Ok(());
                        }
                        self.answer(request)?;
                    }
                    Ok(Message::Notification(told)) => self.take_in(told)?,
                    Ok(Message::Response(_)) => {}
                    // The editor is gone without a word.
                    Err(_) => return Ok(()),
                },
                recv(news) -> found => match found {
                    Ok(found) => self.learn(found)?,
                    Err(_) => bail!("the working tree is gone\n  open a folder that exists"),
                },
            }
        }
    }

    fn answer(&mut self, request: Request) -> Result<()> {
        let id = request.id.clone();
        let answered = match request.method.as_str() {
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
            CodeActionRequest::METHOD => self.with(request, Self::actions),
            GotoDefinition::METHOD => self.with(request, Self::definition),
            References::METHOD => self.with(request, Self::references),
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
        self.send(Message::Response(response))
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
                let Some(params) = read::<lsp_types::DidOpenTextDocumentParams>(told.params) else {
                    return Ok(());
                };
                let document = params.text_document;
                self.open.put(document.uri, document.version, document.text);
            }
            DidChangeTextDocument::METHOD => {
                let Some(params) = read::<lsp_types::DidChangeTextDocumentParams>(told.params)
                else {
                    return Ok(());
                };
                let document = params.text_document;
                // Each change holds the whole text.
                if let Some(change) = params.content_changes.into_iter().next_back() {
                    self.open.put(document.uri, document.version, change.text);
                }
            }
            DidCloseTextDocument::METHOD => {
                let Some(params) = read::<lsp_types::DidCloseTextDocumentParams>(told.params)
                else {
                    return Ok(());
                };
                let uri = params.text_document.uri;
                self.open.drop(&uri);
                self.known.remove(uri.as_str());
                self.publish(&uri, None, Vec::new())?;
            }
            DidSaveTextDocument::METHOD | DidChangeWatchedFiles::METHOD => {
                return self.ask_for(WorkerRequest::DiskChanged);
            }
            _ => return Ok(()),
        }
        self.ask_for(WorkerRequest::Open(self.open.clone()))
    }

    fn ask_for(&self, job: WorkerRequest) -> Result<()> {
        self.jobs.send(job).context("the working tree is gone")
    }

    fn learn(&mut self, found: WorkerEvent) -> Result<()> {
        match found {
            WorkerEvent::WorkspaceIndex(picture) => {
                self.picture = picture;
                Ok(())
            }
            WorkerEvent::Document(uri, analysis) => {
                let Some(document) = self.open.iter().find(|one| one.uri.to_string() == uri) else {
                    return Ok(());
                };
                // What is known of an older state of it is news no longer.
                if document.version != analysis.version {
                    return Ok(());
                }
                let found = diagnostics::diagnose(document, &analysis, self.columns);
                let uri = document.uri.clone();
                self.known.insert(uri.to_string(), analysis);
                self.publish(&uri, Some(document.version), found)?;
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
        let method = PublishDiagnostics::METHOD.to_owned();
        self.send(Message::Notification(Notification::new(method, params)))
    }

    fn refresh_hints(&mut self) -> Result<()> {
        if !self.refreshes_hints || !self.is_hint_asked {
            return Ok(());
        }
        self.asked += 1;
        let method = if self.has_hints {
            InlayHintRefreshRequest::METHOD
        } else {
            CodeLensRefresh::METHOD
        };
        let method = method.to_owned();
        self.send(Message::Request(Request::new(
            self.asked.into(),
            method,
            json!(null),
        )))
    }

    fn send(&self, message: Message) -> Result<()> {
        let sent = self.connection.sender.send(message);
        sent.context("the editor is gone")
    }

    /// A text, and what is known of it.
    fn known(&self, uri: &Uri) -> Option<(&Document, &Analysis)> {
        Some((self.open.get(uri)?, self.known.get(uri.as_str())?))
    }

    /// The rule in a line of a file of rules, as far as the line is still what was looked at.
    fn rule_at(&self, uri: &Uri, line: u32) -> Option<(&Document, &RuleFile, &RuleFacts)> {
        let (document, analysis) = self.known(uri)?;
        let Kind::Rules(file) = &analysis.kind else {
            return None;
        };
        let facts = file.rules.iter().find(|rule| rule.line == line)?;
        let is_same = document.line(line).trim_end().as_bytes() == facts.text.trim_ascii_end();
        is_same.then_some((document, file, facts))
    }
}

fn read<T: for<'de> Deserialize<'de>>(params: Value) -> Option<T> {
    serde_json::from_value(params).ok()
}
