#![allow(
    clippy::disallowed_methods,
    reason = "the demo is made in a new folder of its own"
)]
use anyhow::{Context as _, Result, bail};
use clap::Args;
use redshank_context::{GlobalArgs, path_values};
use redshank_demo as demo;
use redshank_output::putln;
use redshank_text::{Paint, count};
use std::path::PathBuf;
use std::process::ExitCode;

/// Create the demo repository and walk through the job on it
#[derive(Args)]
pub struct Demo {
    /// Where; it must be new or empty. Without it, a temporary folder that is gone afterwards
    #[arg(add = path_values::folders())]
    dir: Option<PathBuf>,
    /// Only lay the files out, don't walk
    #[arg(long, requires = "dir")]
    files_only: bool,
}

impl Demo {
    pub fn run(&self, _args: &GlobalArgs) -> Result<ExitCode> {
        let temporary = tempfile::Builder::new()
            .prefix("tidewatch-")
            .tempdir()
            .context("a temporary folder")?;
        let folder = match &self.dir {
            Some(dir) => dir.clone(),
            None => temporary.path().join("tidewatch"),
        };
        std::fs::create_dir_all(&folder).with_context(|| folder.display().to_string())?;
        if std::fs::read_dir(&folder)?.next().is_some() {
            bail!(
                "{} is not empty\n  name a folder that is new or empty",
                folder.display()
            );
        }
        let files = demo::lay_out(&folder)?;
        let place = Paint::Type.on(folder.display());
        putln!("{} files of a made-up project are in {place}", count(files))?;
        if self.files_only {
            return Ok(ExitCode::SUCCESS);
        }
        demo::walk(&folder, files)?;
        if self.dir.is_none() {
            let gone = "The folder is gone now; `redshank demo DIR` makes one to keep.";
            putln!("{}", Paint::Quiet.on(gone))?;
        }
        Ok(ExitCode::SUCCESS)
    }
}
