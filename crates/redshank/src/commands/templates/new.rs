//! A template of one's own, started from an ignore file.

use crate::context::Context;
use crate::render::Paint;
use crate::{put, putln};
use anyhow::{Context as _, Result, bail};
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

#[derive(Clone, Copy, ValueEnum)]
enum Owner {
    /// Everyone who has this repository
    Team,
    /// You, in every repository
    Personal,
}

impl New {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        let text = match &self.from {
            Some(from) => {
                let contents = std::fs::read(from).with_context(|| from.display().to_string())?;
                let origin = from.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
                templates::started(&self.name, &origin, &contents, None)?
            }
            None => {
                let run = remembered(&context.place)?;
                let (command, rules) =
                    run.context("nothing was rehearsed here yet\n  `redshank rehearse -- COMMAND` first")?;
                templates::started(&self.name, &format!("a run of {command}"), &rules, Some(&command))?
            }
        };
        let folder = match self.owner {
            Owner::Team => context.place.top.join(TEAM_FOLDER),
            Owner::Personal => templates::personal_folder().context("no home folder is known\n  set HOME")?,
        };
        let path = folder.join(format!("{}.toml", self.name));
        if path.symlink_metadata().is_ok() {
            bail!("{} is there already\n  choose another name, or edit it", path.display());
        }
        if !self.write {
            put!("{text}")?;
            let would = format!("# nothing was written; --write makes it {}", path.display());
            putln!("{}", Paint::Quiet.on(would))?;
            return Ok(ExitCode::SUCCESS);
        }
        let disk = || path.display().to_string();
        std::fs::create_dir_all(&folder).with_context(disk)?;
        let mut file = std::fs::File::create_new(&path).with_context(disk)?;
        file.write_all(text.as_bytes()).with_context(disk)?;
        putln!("{} {}", Paint::Good.on("written"), path.display())?;
        let next = format!("redshank templates test {}", self.name);
        putln!("fill in reasons and how it is recognised; then {}", Paint::Type.on(next))?;
        Ok(ExitCode::SUCCESS)
    }
}
