//! What the editor can do, and what the server offers it (LSP 3.17, capabilities).

use super::NAME;
use super::documents::Columns;
use super::places::WHY;
use super::tokens;
use lsp_types::{
    CodeActionKind, CodeActionOptions, CodeActionProviderCapability, CodeLensOptions,
    CompletionOptions, DiagnosticOptions, DiagnosticServerCapabilities, DocumentLinkOptions,
    ExecuteCommandOptions, FileOperationFilter, FileOperationPattern,
    FileOperationRegistrationOptions, FoldingRangeProviderCapability, HoverProviderCapability,
    InitializeParams, OneOf, SemanticTokensFullOptions, SemanticTokensOptions,
    SemanticTokensServerCapabilities, ServerCapabilities, TextDocumentSyncCapability,
    TextDocumentSyncKind, TextDocumentSyncOptions, TextDocumentSyncSaveOptions,
    WorkDoneProgressOptions, WorkspaceFileOperationsServerCapabilities,
    WorkspaceFoldersServerCapabilities, WorkspaceServerCapabilities,
};
use serde_json::Value;

/// What the editor can do.
#[derive(Debug, Clone, Copy)]
pub struct Client {
    pub columns: Columns,
    /// It shows hints in its lines; one that doesn't may show them between these.
    pub has_hints: bool,
    /// It can be told that its hints are old.
    pub refreshes_hints: bool,
    /// It shows actions that can't be done now, with the reason.
    pub shows_disabled: bool,
    /// It asks what is wrong with a text when it wants to show that, and can be told to ask again.
    pub pulls: bool,
    /// It shows how long work goes on.
    pub shows_progress: bool,
}

impl Client {
    /// Reads what it said of itself; `given` is its capabilities as they were written.
    pub fn read(params: &InitializeParams, given: &Value) -> Self {
        let says = |at: &str| given.pointer(at) == Some(&Value::Bool(true));
        let has = |at: &str| given.pointer(at).is_some_and(|value| !value.is_null());
        let general = params.capabilities.general.as_ref();
        let offered = general.and_then(|general| general.position_encodings.as_deref());
        let has_hints = has("/textDocument/inlayHint");
        Self {
            columns: Columns::offered(offered),
            has_hints,
            refreshes_hints: says(if has_hints {
                "/workspace/inlayHint/refreshSupport"
            } else {
                "/workspace/codeLens/refreshSupport"
            }),
            shows_disabled: says("/textDocument/codeAction/disabledSupport"),
            // Without being told, it would show forever what was wrong before files changed.
            pulls: has("/textDocument/diagnostic") && says("/workspace/diagnostics/refreshSupport"),
            shows_progress: says("/window/workDoneProgress"),
        }
    }
}

/// What the server offers this editor.
pub fn capabilities(client: Client) -> ServerCapabilities {
    ServerCapabilities {
        position_encoding: Some(client.columns.kind()),
        text_document_sync: Some(TextDocumentSyncCapability::Options(
            TextDocumentSyncOptions {
                open_close: Some(true),
                change: Some(TextDocumentSyncKind::INCREMENTAL),
                save: Some(TextDocumentSyncSaveOptions::Supported(true)),
                ..TextDocumentSyncOptions::default()
            },
        )),
        hover_provider: Some(HoverProviderCapability::Simple(true)),
        inlay_hint_provider: client.has_hints.then_some(OneOf::Left(true)),
        code_lens_provider: (!client.has_hints).then_some(CodeLensOptions {
            resolve_provider: Some(false),
        }),
        completion_provider: Some(CompletionOptions {
            trigger_characters: Some(["/", "*", ".", "\"", " "].map(str::to_owned).to_vec()),
            ..CompletionOptions::default()
        }),
        folding_range_provider: Some(FoldingRangeProviderCapability::Simple(true)),
        document_symbol_provider: Some(OneOf::Left(true)),
        workspace: Some(WorkspaceServerCapabilities {
            workspace_folders: Some(WorkspaceFoldersServerCapabilities {
                supported: Some(true),
                change_notifications: Some(OneOf::Left(true)),
            }),
            file_operations: Some(WorkspaceFileOperationsServerCapabilities {
                will_rename: Some(FileOperationRegistrationOptions {
                    filters: vec![FileOperationFilter {
                        scheme: Some("file".to_owned()),
                        pattern: FileOperationPattern {
                            glob: "**".to_owned(),
                            ..FileOperationPattern::default()
                        },
                    }],
                }),
                ..WorkspaceFileOperationsServerCapabilities::default()
            }),
        }),
        document_link_provider: Some(DocumentLinkOptions {
            resolve_provider: Some(false),
            work_done_progress_options: WorkDoneProgressOptions::default(),
        }),
        semantic_tokens_provider: Some(SemanticTokensServerCapabilities::SemanticTokensOptions(
            SemanticTokensOptions {
                legend: tokens::legend(),
                range: Some(true),
                full: Some(SemanticTokensFullOptions::Bool(true)),
                ..SemanticTokensOptions::default()
            },
        )),
        diagnostic_provider: client.pulls.then(|| {
            DiagnosticServerCapabilities::Options(DiagnosticOptions {
                identifier: Some(NAME.to_owned()),
                inter_file_dependencies: true,
                ..DiagnosticOptions::default()
            })
        }),
        definition_provider: Some(OneOf::Left(true)),
        references_provider: Some(OneOf::Left(true)),
        execute_command_provider: Some(ExecuteCommandOptions {
            commands: vec![WHY.to_owned()],
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
