//! What is wrong with a text, for an editor that asks (LSP 3.17, pull diagnostics).

use super::{Server, diagnostics};
use anyhow::Result;
use bstr::ByteSlice;
use lsp_server::{Message, RequestId, Response};
use lsp_types::request::{Request as _, WorkspaceDiagnosticRefresh};
use lsp_types::{
    Diagnostic, DocumentDiagnosticParams, DocumentDiagnosticReport, FullDocumentDiagnosticReport,
    Location, Range, RelatedFullDocumentDiagnosticReport, Uri,
};

impl Server<'_> {
    /// Answers once it is known of the text as it is now.
    pub(super) fn pull(&mut self, id: RequestId, params: DocumentDiagnosticParams) -> Result<()> {
        let uri = params.text_document.uri;
        let is_known = self
            .known(&uri)
            .is_some_and(|(document, analysis)| document.version == analysis.version);
        if is_known || self.open.get(&uri).is_none() {
            return self.report(id, &uri);
        }
        self.pulled.push((id, uri));
        Ok(())
    }

    /// Answers those who wait for what is wrong with a text. Where the text is as it was, what is
    /// around it changed: the editor is asked to ask again.
    pub(super) fn answer_pulled(&mut self, uri: &Uri, is_again: bool) -> Result<()> {
        let (now, later) = std::mem::take(&mut self.pulled)
            .into_iter()
            .partition(|(_, asked)| asked == uri);
        self.pulled = later;
        let now: Vec<(RequestId, Uri)> = now;
        if now.is_empty() && is_again {
            return self.ask(WorkspaceDiagnosticRefresh::METHOD);
        }
        now.into_iter()
            .try_for_each(|(id, uri)| self.report(id, &uri))
    }

    fn report(&self, id: RequestId, uri: &Uri) -> Result<()> {
        let report = DocumentDiagnosticReport::Full(RelatedFullDocumentDiagnosticReport {
            related_documents: None,
            full_document_diagnostic_report: FullDocumentDiagnosticReport {
                result_id: None,
                items: self.diagnostics(uri),
            },
        });
        self.transport
            .send(Message::Response(Response::new_ok(id, report)))
    }

    /// What is wrong with an open text, as far as it was looked at.
    pub(super) fn diagnostics(&self, uri: &Uri) -> Vec<Diagnostic> {
        let Some((document, analysis)) = self.known(uri) else {
            return Vec::new();
        };
        let home = document.home.as_deref();
        diagnostics::diagnose(document, analysis, self.view.columns, &|path| {
            let file = home?.join(path.to_path_lossy());
            let uri = self.view.uri_of(&file, &self.open)?;
            Some(Location::new(uri, Range::default()))
        })
    }
}
