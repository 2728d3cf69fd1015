use crate::cli::Format;
use crate::context::Context;
use crate::render::{self, Align, Cell, Paint, Table, shown};
use crate::report::PathOut;
use anyhow::Result;
use bstr::ByteSlice;
use clap::{Args, ValueEnum};
use redshank_core::size::Bytes;
use redshank_core::tree::{Depth, Entry, Scope, State, Tree};
use serde::Serialize;
use std::io::Write;
use std::process::ExitCode;

/// The list of files, by state
#[derive(Args)]
pub struct Files {
    /// Which files: candidates would be taken by `git add --all`
    #[arg(long, value_delimiter = ',', value_enum, default_value = "candidate,tracked")]
    state: Vec<StateArg>,
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
        let wanted = |state| self.state.iter().any(|wanted| State::from(*wanted) == state);
        let depth = if wanted(State::Ignored) { Depth::IntoIgnored } else { Depth::StopAtIgnored };
        let scope = Scope { depth, sizes: !self.z, under: context.prefix.clone(), ..Scope::default() };
        let tree = Tree::walk(&context.place, &scope)?;
        let listed: Vec<&Entry> = tree.entries.iter().filter(|entry| wanted(entry.state)).collect();
        let relative = |entry: &'_ Entry| entry.path[context.prefix.len()..].to_owned();
        let json = |entry: &&Entry| FileOut {
            path: PathOut::of(relative(entry).as_bstr()),
            state: entry.state,
            size: entry.size,
        };
        match context.asked.format {
            _ if self.z => {
                let mut out = std::io::BufWriter::new(std::io::stdout().lock());
                for entry in &listed {
                    out.write_all(&entry.path[context.prefix.len()..])?;
                    out.write_all(b"\0")?;
                }
                out.flush()?;
            }
            Format::Json => render::json(&listed.iter().map(json).collect::<Vec<_>>())?,
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
                    table.row([Cell::painted(paint, word), entry.size.to_string().into(), path.into()]);
                }
                let mut out = anstream::stdout().lock();
                write!(out, "{}", table.text())?;
            }
        }
        context.say_unread(&tree.unread);
        Ok(ExitCode::SUCCESS)
    }
}
