use super::found;
use crate::cli::Format;
use crate::context::Context;
use crate::put;
use crate::render::{self, Align, Cell, Paint, Table, count, folder_name, screen, shown};
use crate::report::PathOut;
use anyhow::Result;
use bstr::{BStr, ByteSlice};
use clap::{Args, ValueEnum};
use redshank_core::effect::{Amount, grouped};
use redshank_core::size::Bytes;
use redshank_core::tree::{Depth, Entry, Scope, State, Tree};
use serde::Serialize;
use std::ffi::OsString;
use std::io::Write;
use std::process::ExitCode;

/// The list of files, by state
#[derive(Args)]
pub struct Files {
    /// Which files: candidates would be taken by `git add --all`
    #[arg(
        long,
        value_delimiter = ',',
        value_enum,
        default_value = "candidate,tracked"
    )]
    state: Vec<StateArg>,
    /// Folders with their counts and sizes instead, so many levels deep, biggest first
    #[arg(long, value_name = "LEVELS", num_args = 0..=1, default_missing_value = "2", conflicts_with = "z")]
    tree: Option<usize>,
    /// Check that every candidate lies below this folder, instead; those that don't are listed
    #[arg(long, value_name = "FOLDER", conflicts_with_all = ["tree", "state"])]
    under: Option<OsString>,
    /// End every path with a NUL, and write it byte for byte
    #[arg(short)]
    z: bool,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum StateArg {
    Candidate,
    Ignored,
    Tracked,
}

impl From<StateArg> for State {
    fn from(state: StateArg) -> Self {
        match state {
            StateArg::Candidate => Self::Candidate,
            StateArg::Ignored => Self::Ignored,
            StateArg::Tracked => Self::Tracked,
        }
    }
}

#[derive(Serialize)]
struct FileOut {
    #[serde(flatten)]
    path: PathOut,
    state: State,
    size: Bytes,
}

impl Files {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        let wanted = |state| {
            self.state
                .iter()
                .any(|wanted| State::from(*wanted) == state)
        };
        let depth = if wanted(State::Ignored) {
            Depth::IntoIgnored
        } else {
            Depth::StopAtIgnored
        };
        let scope = Scope {
            depth,
            sizes: !self.z,
            under: context.prefix.clone(),
            ..Scope::default()
        };
        let tree = Tree::walk(&context.place, &scope)?;
        let mut listed: Vec<&Entry> = tree
            .entries
            .iter()
            .filter(|entry| wanted(entry.state))
            .collect();
        if let Some(folder) = &self.under {
            let folder = context.resolve_folder(folder)?;
            listed.retain(|entry| {
                entry.state == State::Candidate && !entry.path.starts_with(&folder)
            });
        }
        if let (Some(levels), Format::Text) = (self.tree, context.asked.format) {
            put!("{}", folders(&listed, context.prefix.as_bstr(), levels))?;
            return Ok(ExitCode::SUCCESS);
        }
        let relative = |entry: &'_ Entry| entry.path[context.prefix.len()..].to_owned();
        let json = |entry: &&Entry| FileOut {
            path: PathOut::of(relative(entry).as_bstr()),
            state: entry.state,
            size: entry.size,
        };
        match context.asked.format {
            _ if self.z => {
                let mut out = std::io::BufWriter::new(screen::raw());
                for entry in &listed {
                    out.write_all(&entry.path[context.prefix.len()..])?;
                    out.write_all(b"\0")?;
                }
                out.flush()?;
            }
            Format::Json | Format::Junit | Format::Sarif => {
                render::json(&listed.iter().map(json).collect::<Vec<_>>())?
            }
            Format::Jsonl => render::jsonl(listed.iter().map(json))?,
            Format::Text => {
                let mut table = Table::new(&[Align::Whole, Align::Right, Align::Left]);
                for entry in &listed {
                    let (word, paint) = match entry.state {
                        State::Candidate => ("candidate", Paint::Good),
                        State::Ignored => ("ignored", Paint::Quiet),
                        State::Tracked => ("tracked", Paint::Type),
                    };
                    let path = shown(relative(entry).as_bstr());
                    table.row([
                        Cell::painted(paint, word),
                        entry.size.to_string().into(),
                        path.into(),
                    ]);
                }
                put!("{}", table.text())?;
            }
        }
        context.say_unread(&tree.unread);
        Ok(found(self.under.is_some() && !listed.is_empty()))
    }
}

/// Folders down to a level, each below the one that holds it, biggest first.
fn folders(listed: &[&Entry], prefix: &BStr, levels: usize) -> String {
    let mut table = Table::new(&[Align::Right, Align::Right, Align::Left]);
    rows(listed, prefix.len(), 0, levels, &mut table);
    table.text()
}

/// The rows of one folder: `at` is where its entries' paths go on.
fn rows(listed: &[&Entry], at: usize, level: usize, levels: usize, table: &mut Table) {
    if level == levels {
        return;
    }
    let part = |entry: &Entry| {
        entry.path[at..]
            .find_byte(b'/')
            .map(|slash| entry.path[at..=at + slash].as_bstr().to_owned())
    };
    let within: Vec<&Entry> = listed
        .iter()
        .copied()
        .filter(|entry| part(entry).is_some_and(|p| at + p.len() < entry.path.len()))
        .collect();
    for (name, amount) in grouped(within.iter().copied(), |entry| {
        part(entry).unwrap_or_default()
    }) {
        let indented = format!("{}{}", "  ".repeat(level), shown(name.as_bstr()));
        table.row([
            count(amount.files).into(),
            amount.size.to_string().into(),
            indented.into(),
        ]);
        let inner: Vec<&Entry> = within
            .iter()
            .copied()
            .filter(|entry| part(entry).as_ref() == Some(&name))
            .collect();
        rows(&inner, at + name.len(), level + 1, levels, table);
    }
    let here = listed.len() - within.len();
    if level == 0 && here > 0 {
        let amount = Amount::of(
            listed
                .iter()
                .copied()
                .filter(|entry| part(entry).is_none_or(|p| at + p.len() == entry.path.len())),
        );
        table.row([
            count(amount.files).into(),
            amount.size.to_string().into(),
            folder_name(b"".into()).into(),
        ]);
    }
}
