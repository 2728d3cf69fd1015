//! How answers look to people.

mod effect;
mod escape;
mod junit;
pub mod links;
mod numbers;
pub mod page;
pub mod pager;
mod sarif;
pub mod screen;
mod shell;
mod stages;
mod style;
mod table;

pub use effect::{diff, diff_sums, effect, folder_name, sums};
pub use escape::{cut, shortened, shown, wrapped};
pub use junit::{Case as JunitCase, junit};
pub use links::link;
pub use numbers::{count, files};
pub use sarif::log as sarif;
pub use shell::quoted;
pub use stages::{hide_progress, listen};
pub use style::{Paint, class_paint, level_paint};
pub use table::{Align, Cell, Table, width};

use crate::{eputln, words};
use anyhow::Result;
use screen::Harmless;
use serde::Serialize;
use std::io::Write;

/// Writes an error: what went wrong, then what to do about it.
pub fn complain(error: &anyhow::Error) {
    let text = words::explained(error);
    let mut lines = text.lines();
    eputln!(
        "{} {}",
        Paint::Bad.on("error:"),
        lines.next().unwrap_or_default()
    );
    for line in lines {
        eputln!("{line}");
    }
}

/// Writes to the standard output, in colour where it's wanted; an error if nobody takes it.
#[macro_export]
macro_rules! put {
    ($($text:tt)*) => { $crate::render::screen::out(format_args!($($text)*)) };
}

/// The same with a line end.
#[macro_export]
macro_rules! putln {
    ($($text:tt)*) => { $crate::put!("{}\n", format_args!($($text)*)) };
}

/// Writes a line to the standard error.
#[macro_export]
macro_rules! eputln {
    ($($text:tt)*) => { $crate::render::screen::err(format_args!($($text)*)) };
}

/// Writes one JSON document.
pub fn json(value: &impl Serialize) -> Result<()> {
    let mut out = screen::raw();
    value.serialize(&mut serde_json::Serializer::with_formatter(
        &mut out,
        Harmless::pretty(),
    ))?;
    writeln!(out)?;
    Ok(())
}

/// Writes one JSON object a line.
pub fn jsonl<T: Serialize>(values: impl IntoIterator<Item = T>) -> Result<()> {
    let mut out = std::io::BufWriter::new(screen::raw());
    for value in values {
        let form = Harmless::<serde_json::ser::CompactFormatter>::default();
        value.serialize(&mut serde_json::Serializer::with_formatter(&mut out, form))?;
        writeln!(out)?;
    }
    out.flush()?;
    Ok(())
}
