use crate::help;
use anyhow::{Context as _, Result, bail};
use clap::{Args, Command};
use clap_mangen::Man;
use redshank_context::{GlobalArgs, PROGRAM, path_values};
use roff::{Roff, bold, roman};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

/// Write the manual page of a command, for `man -l -`; or all of them, for a package
#[derive(Args)]
pub struct Manual {
    /// The command; without it, the page of the whole program
    command: Option<String>,
    /// Write all pages into this folder
    #[arg(long, value_name = "DIR", conflicts_with = "command", add = path_values::folders())]
    into: Option<PathBuf>,
}

/// What to read beside a page, each with its section.
const BESIDE: &[(&str, &str)] = &[
    ("gitignore", "5"),
    ("gitattributes", "5"),
    ("git-check-ignore", "1"),
];

impl Manual {
    pub fn run(&self, _args: &GlobalArgs) -> Result<ExitCode> {
        // `help` has no page of its own: each command has one.
        let mut whole = help::command().disable_help_subcommand(true);
        whole.build();
        if let Some(folder) = &self.into {
            write_pages(&whole, &whole, folder)
                .with_context(|| format!("{}\n  name a folder that exists", folder.display()))?;
            return Ok(ExitCode::SUCCESS);
        }
        let command = match &self.command {
            None => &whole,
            Some(name) => match whole.find_subcommand(name) {
                Some(command) => command,
                None => bail!("there is no command `{name}`\n  `redshank help` lists them"),
            },
        };
        redshank_output::put!("{}", String::from_utf8_lossy(&page(command, &whole)?))?;
        Ok(ExitCode::SUCCESS)
    }
}

/// Writes the page of a command, and those of the commands in it.
#[allow(
    clippy::disallowed_methods,
    reason = "into a folder that the person names; nothing of the repository is in it"
)]
fn write_pages(command: &Command, whole: &Command, folder: &Path) -> Result<()> {
    let file = folder.join(format!("{}.1", name_of(command)));
    std::fs::write(file, page(command, whole)?)?;
    command
        .get_subcommands()
        .try_for_each(|inner| write_pages(inner, whole, folder))
}

/// What the page of a command is called.
fn name_of(command: &Command) -> &str {
    command.get_display_name().unwrap_or(command.get_name())
}

/// A page in the language of man(7).
fn page(command: &Command, whole: &Command) -> std::io::Result<Vec<u8>> {
    let man = Man::new(command.clone())
        .title(name_of(command).to_uppercase())
        .date(help::built_on())
        .source(format!("Redshank {}", env!("CARGO_PKG_VERSION")))
        .manual("Redshank Manual");
    let mut page = Vec::new();
    man.render_title(&mut page)?;
    man.render_name_section(&mut page)?;
    let usage = command.clone().render_usage().to_string();
    let usage = usage.trim_start_matches("Usage:").trim().to_owned();
    let mut synopsis = Roff::new();
    synopsis.control("SH", ["SYNOPSIS"]).text([bold(usage)]);
    synopsis.to_writer(&mut page)?;
    man.render_description_section(&mut page)?;
    man.render_options_section(&mut page)?;
    let mut rest = Roff::new();
    if command.has_subcommands() {
        rest.control("SH", ["COMMANDS"]);
        for inner in command
            .get_subcommands()
            .filter(|inner| !inner.is_hide_set())
        {
            let about = inner.get_about().map(ToString::to_string);
            rest.control("TP", [])
                .text([bold(inner.get_name())])
                .text([roman(about.unwrap_or_default())]);
        }
    }
    let examples = help::examples(command.get_name());
    if !examples.is_empty() {
        rest.control("SH", ["EXAMPLES"]);
    }
    for (typed, does) in examples {
        rest.control("TP", [])
            .text([bold(format!("{PROGRAM} {typed}"))])
            .text([roman(*does)]);
    }
    rest.control("SH", ["EXIT STATUS"]);
    for (code, means) in help::CODES {
        rest.control("TP", [])
            .text([bold(*code)])
            .text([roman(*means)]);
    }
    rest.control("SH", ["SEE ALSO"]);
    let others = whole.get_subcommands().filter(|inner| !inner.is_hide_set());
    let others: Vec<&str> = if command.get_name() == PROGRAM {
        others.map(name_of).collect()
    } else {
        vec![PROGRAM]
    };
    let own = others.into_iter().map(|name| (name, "1"));
    let all = own.chain(BESIDE.iter().copied());
    let all: Vec<String> = all
        .map(|(name, section)| format!("{name}({section})"))
        .collect();
    rest.text([roman(all.join(", "))]);
    rest.to_writer(&mut page)?;
    Ok(page)
}
