//! A template of one's own, started from an ignore file.

use anyhow::{Context as _, Result, bail};
use bstr::{BString, ByteSlice};
use clap::{Args, ValueEnum};
use redshank_changes::rehearse::PastRuns;
use redshank_context::{Context, GlobalArgs, path_values};
use redshank_files::Root;
use redshank_report::{DOCUMENT, NewTemplateOut, OutputFormat, Report};
use redshank_templates::{self as templates, TEAM_FOLDER};
use redshank_text::Paint;
use std::io::Write;
use std::path::PathBuf;
use std::process::ExitCode;

#[derive(Args)]
pub struct New {
    /// Its name: small letters, digits and `-`
    name: String,
    /// The ignore file whose rules it is to have
    #[arg(long, value_name = "FILE", required_unless_present = "from_run", add = path_values::paths())]
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
    /// How the answer is written
    #[arg(long, value_parser = DOCUMENT.parser(), default_value = "text")]
    format: OutputFormat,
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
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        let text = self.text(&context)?;
        let (folder, below) = self.place(&context)?;
        let path = folder.join(below.to_path_lossy());
        if self.is_there(&context, &below)? {
            bail!(
                "{} is there already\n  choose another name, or edit it",
                path.display()
            );
        }
        if self.write {
            self.create(&context, &below, &text)
                .with_context(|| path.display().to_string())?;
        }
        self.format.print(&Started {
            name: &self.name,
            text,
            path,
            written: self.write,
        })?;
        Ok(ExitCode::SUCCESS)
    }

    fn text(&self, context: &Context) -> Result<String> {
        let Some(from) = &self.from else {
            let past = PastRuns::read(&context.snapshot)?;
            let run = past.last().context(
                "nothing was rehearsed here yet\n  `redshank rehearse -- COMMAND` first",
            )?;
            let command = Some(&*run.command).filter(|command| !command.is_empty());
            let origin = match command {
                Some(command) => format!("a run of {command}"),
                None => "what came during a watch".to_owned(),
            };
            return Ok(templates::started(
                &self.name,
                &origin,
                &run.rules(),
                command,
            )?);
        };
        let contents = redshank_files::read_trusted(from, LARGEST)
            .with_context(|| from.display().to_string())?;
        let origin = from.file_name().unwrap_or_default().to_string_lossy();
        Ok(templates::started(&self.name, &origin, &contents, None)?)
    }

    /// The folder that it is for, and its path from there.
    fn place(&self, context: &Context) -> Result<(PathBuf, BString)> {
        let name = format!("{}.toml", self.name);
        Ok(match self.owner {
            Owner::Team => {
                let below = format!("{TEAM_FOLDER}/{name}");
                (context.snapshot.top.clone(), below.into())
            }
            Owner::Personal => {
                let folder = templates::personal_folder();
                (
                    folder.context("no home folder is known\n  set HOME")?,
                    name.into(),
                )
            }
        })
    }

    /// Whether something is there already.
    fn is_there(&self, context: &Context, below: &BString) -> Result<bool> {
        let folder = templates::personal_folder();
        let root = match (self.owner, folder) {
            (Owner::Team, _) => context.snapshot.root.clone(),
            // A folder that can't be opened holds nothing.
            (Owner::Personal, Some(folder)) => match Root::open(&folder) {
                Ok(root) => root,
                Err(_) => return Ok(false),
            },
            (Owner::Personal, None) => return Ok(false),
        };
        Ok(root.is_there(below.as_bstr()))
    }

    fn create(&self, context: &Context, below: &BString, text: &str) -> Result<()> {
        let root = match self.owner {
            Owner::Team => context.snapshot.root.clone(),
            Owner::Personal => templates::open_personal_folder()?,
        };
        if let Some(slash) = below.rfind_byte(b'/') {
            root.create_folders(below[..slash].as_bstr())?;
        }
        let mut file = root.create(below.as_bstr(), 0o666)?;
        Ok(file.write_all(text.as_bytes())?)
    }
}

struct Started<'a> {
    name: &'a str,
    text: String,
    path: PathBuf,
    written: bool,
}

impl Report for Started<'_> {
    type Document = NewTemplateOut;

    fn text(&self) -> Result<String> {
        let path = self.path.display();
        if !self.written {
            let would = format!("# nothing was written; --write makes it {path}");
            return Ok(format!("{}{}\n", self.text, Paint::Quiet.on(would)));
        }
        let test = Paint::Type.on(format!("redshank templates test {}", self.name));
        Ok(format!(
            "{} {path}\nfill in reasons and how it is recognised; then {test}\n",
            Paint::Good.on("written")
        ))
    }

    fn document(&self) -> NewTemplateOut {
        NewTemplateOut {
            schema: "redshank.templates-new/1",
            path: self.path.to_string_lossy().into_owned(),
            text: self.text.clone(),
            written: self.written,
        }
    }
}
