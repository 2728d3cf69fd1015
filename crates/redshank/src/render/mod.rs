//! How answers look to people.

mod effect;
mod names;
mod sarif;
mod style;
mod table;

pub use effect::{diff, effect, folder_name};
pub use names::{count, cut, files, shortened, shown};
pub use sarif::log as sarif;
pub use style::{Paint, class_paint, level_paint};
pub use table::{Align, Cell, Table, width};

use anyhow::Result;
use serde::Serialize;
use std::io::Write;

/// Writes an error: what went wrong, then what to do about it.
pub fn complain(error: &anyhow::Error) {
    let text = format!("{error:#}");
    let mut lines = text.lines();
    anstream::eprintln!("{} {}", Paint::Bad.on("error:"), lines.next().unwrap_or_default());
    for line in lines {
        anstream::eprintln!("{line}");
    }
}

/// Writes to the standard output, in colour where it's wanted; an error if nobody takes it.
#[macro_export]
macro_rules! put {
    ($($text:tt)*) => { std::io::Write::write_fmt(&mut anstream::stdout(), format_args!($($text)*)) };
}

/// The same with a line end.
#[macro_export]
macro_rules! putln {
    ($($text:tt)*) => { $crate::put!("{}\n", format_args!($($text)*)) };
}

/// Writes one JSON document.
pub fn json(value: &impl Serialize) -> Result<()> {
    let mut out = std::io::stdout().lock();
    serde_json::to_writer_pretty(&mut out, value)?;
    writeln!(out)?;
    Ok(())
}

/// Writes one JSON object a line.
pub fn jsonl<T: Serialize>(values: impl IntoIterator<Item = T>) -> Result<()> {
    let mut out = std::io::BufWriter::new(std::io::stdout().lock());
    for value in values {
        serde_json::to_writer(&mut out, &value)?;
        writeln!(out)?;
    }
    out.flush()?;
    Ok(())
}
