//! A template of one's own, started from an ignore file.

use crate::context::Context;
use crate::render::Paint;
use crate::{put, putln};
use anyhow::{Context as _, Result, bail};
use bstr::{BString, ByteSlice};
use clap::{Args, ValueEnum};
use redshank_core::rehearse::remembered;
use redshank_core::templates::{self, TEAM_FOLDER};
use std::io::Write;
use std::path::PathBuf;
use std::process::ExitCode;

#[derive(Args)]
pub struct New {
    /// Its name: small letters, digits and `-`
    name: String,
    /// The ignore file whose rules it is to have
    #[arg(long, value_name = "FILE", required_unless_present = "from_run")]
    from: Option<PathBuf>,
    /// Take the rules for what the last `redshank rehearse` run created
    #[arg(long, conflicts_with = "from")]
    from_run: bool,
    /// Who is to have it
    #[arg(long = "for", value_enum, default_value_t = Owner::Team)]
    owner: Owner,
    /// Write what is shown
    #[arg(long)]
    write: bool,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Owner {
    /// Everyone who has this repository
    Team,
    /// You, in every repository
    Personal,
}

/// No ignore file is larger than this, in bytes.
const LARGEST: u64 = 100 << 20;

impl New {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        let text = match &self.from {
            Some(from) => {
                let contents = redshank_files::read_trusted(from, LARGEST)
                    .with_context(|| from.display().to_string())?;
                let origin = from
                    .file_name()
                    .map(|name| name.to_string_lossy().into_owned())
                    .unwrap_or_default();
                templates::started(&self.name, &origin, &contents, None)?
            }
            None => {
                let run = remembered(&context.place)?;
                let (command, rules) = run.context(
                    "nothing was rehearsed here yet\n  `redshank rehearse -- COMMAND` first",
                )?;
                templates::started(
                    &self.name,
                    &format!("a run of {command}"),
                    &rules,
                    Some(&command),
                )?
            }
        };
        let name = format!("{}.toml", self.name);
        let (folder, below) = match self.owner {
            Owner::Team => (
                context.place.top.clone(),
                BString::from(format!("{TEAM_FOLDER}/{name}")),
            ),
            Owner::Personal => (
                templates::personal_folder().context("no home folder is known\n  set HOME")?,
                name.as_str().into(),
            ),
        };
        let path = folder.join(below.to_path_lossy());
        if self.owner == Owner::Team && context.place.root.is_there(below.as_bstr())
            || path.is_symlink()
        {
            bail!(
                "{} is there already\n  choose another name, or edit it",
                path.display()
            );
        }
        if !self.write {
            put!("{text}")?;
            let would = format!("# nothing was written; --write makes it {}", path.display());
            putln!("{}", Paint::Quiet.on(would))?;
            return Ok(ExitCode::SUCCESS);
        }
        let root = match self.owner {
            Owner::Team => context.place.root.clone(),
            Owner::Personal => templates::open_personal_folder()?,
        };
        let disk = || path.display().to_string();
        if let Some(slash) = below.rfind_byte(b'/') {
            root.create_folders(below[..slash].as_bstr())
                .with_context(disk)?;
        }
        let mut file = root.create(below.as_bstr(), 0o666).with_context(disk)?;
        file.write_all(text.as_bytes()).with_context(disk)?;
        putln!("{} {}", Paint::Good.on("written"), path.display())?;
        let next = format!("redshank templates test {}", self.name);
        putln!(
            "fill in reasons and how it is recognised; then {}",
            Paint::Type.on(next)
        )?;
        Ok(ExitCode::SUCCESS)
    }
}
