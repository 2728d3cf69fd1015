//! How long the first look at a working tree takes (LSP 3.17, work done progress).

use super::Server;
use anyhow::Result;
use lsp_types::notification::Progress;
use lsp_types::request::{Request as _, WorkDoneProgressCreate};
use lsp_types::{
    NumberOrString, ProgressParams, ProgressParamsValue, WorkDoneProgress, WorkDoneProgressBegin,
    WorkDoneProgressCreateParams, WorkDoneProgressEnd,
};
use serde_json::json;
use std::path::Path;

impl Server<'_> {
    /// Shows that working trees are looked at for the first time.
    pub(super) fn begin_progress(&mut self) -> Result<()> {
        if !self.client.shows_progress {
            return Ok(());
        }
        for top in self.workspaces.new_tops() {
            let name = top.file_name().map_or(top.as_os_str(), |name| name);
            let title = format!("Looking at {}", name.to_string_lossy());
            let token = NumberOrString::String(format!("{}/{}", super::NAME, self.asked + 1));
            let params = WorkDoneProgressCreateParams {
                token: token.clone(),
            };
            self.ask_with(WorkDoneProgressCreate::METHOD, json!(params))?;
            self.say_progress(
                token.clone(),
                WorkDoneProgress::Begin(WorkDoneProgressBegin {
                    title,
                    ..WorkDoneProgressBegin::default()
                }),
            )?;
            self.progress.insert(top, token);
        }
        Ok(())
    }

    /// Ends that of a working tree, once there is a picture of it.
    pub(super) fn end_progress(&mut self, top: &Path) -> Result<()> {
        let Some(token) = self.progress.remove(top) else {
            return Ok(());
        };
        self.say_progress(token, WorkDoneProgress::End(WorkDoneProgressEnd::default()))
    }

    fn say_progress(&self, token: NumberOrString, value: WorkDoneProgress) -> Result<()> {
        let params = ProgressParams {
            token,
            value: ProgressParamsValue::WorkDone(value),
        };
        self.transport.tell::<Progress>(&params)
    }
}
