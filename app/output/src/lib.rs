//! How answers get to people and programs: the screen, the pager, tables, the page, SARIF, JUnit
//! XML, the progress bar; and what happens when somebody stops the program.

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod csv;
mod effect;
mod junit;
pub mod links;
pub mod page;
pub mod pager;
mod progress;
mod sarif;
pub mod screen;
pub mod signals;
mod table;

pub use csv::csv;
pub use effect::{attribute_effect, diff, diff_sums, effect, folder_name, sums};
pub use junit::{Case as JunitCase, junit};
pub use links::link;
pub use progress::{hide_progress, listen};
pub use sarif::{SarifResult, SarifRule, log as sarif, sarif_results};
pub use table::{Align, Cell, Table, width, wrapped};

use anyhow::Result;
use redshank_text::{self as text, Paint};
use screen::Harmless;
use serde::Serialize;
use std::io::Write;

/// Writes an error: what went wrong, then what to do about it.
pub fn render_error(error: &anyhow::Error) {
    let describe = text::describe(error);
    let mut lines = describe.lines();
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
    ($($text:tt)*) => { $crate::screen::out(format_args!($($text)*)) };
}

/// The same with a line end.
#[macro_export]
macro_rules! putln {
    ($($text:tt)*) => { $crate::put!("{}\n", format_args!($($text)*)) };
}

/// Writes a line to the standard error.
#[macro_export]
macro_rules! eputln {
    ($($text:tt)*) => { $crate::screen::err(format_args!($($text)*)) };
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
