//! Columns.

use comfy_table::{CellAlignment, ColumnConstraint, ContentArrangement, presets};
use redshank_text::Paint;
use std::io::IsTerminal;

/// The width of the terminal in columns; `None` where the output goes elsewhere, and nothing is
/// cut.
#[allow(
    clippy::disallowed_methods,
    reason = "it only asks whether it is a terminal"
)]
pub fn width() -> Option<usize> {
    if !std::io::stdout().is_terminal() {
        return None;
    }
    Some(terminal_size::terminal_size().map_or(80, |(width, _)| usize::from(width.0)))
}

/// A sentence in lines no wider than the terminal; elsewhere in one.
pub fn wrapped(text: &str) -> String {
    match width() {
        Some(width) => textwrap::fill(text, width),
        None => text.to_owned(),
    }
}

/// How a column stands.
#[derive(Clone, Copy, PartialEq, Eq)]
pub enum Align {
    /// Text that may be cut at its end.
    Left,
    /// Text that is never cut.
    Whole,
    /// Numbers, never cut.
    Right,
}

/// What is in a row and a column.
pub struct Cell(comfy_table::Cell);

impl From<String> for Cell {
    fn from(text: String) -> Self {
        Self(comfy_table::Cell::new(text))
    }
}

impl Cell {
    /// Text in a colour.
    pub fn painted(paint: Paint, text: impl ToString) -> Self {
        let text = text.to_string();
        // Colour around nothing would keep the spaces before it at the end of a row.
        let (color, bold) = if text.is_empty() {
            (None, false)
        } else {
            paint.color()
        };
        let mut cell = comfy_table::Cell::new(text);
        if let Some(number) = color {
            cell = cell.fg(comfy_table::Color::AnsiValue(number));
        }
        if bold {
            cell = cell.add_attribute(comfy_table::Attribute::Bold);
        }
        Self(cell)
    }
}

/// Rows in columns, without lines between them.
pub struct Table {
    table: comfy_table::Table,
    columns: Vec<Align>,
}

impl Table {
    /// A table with such columns.
    pub fn new(columns: &[Align]) -> Self {
        let mut table = comfy_table::Table::new();
        // The stream takes the colour out again where none is wanted.
        crossterm::style::force_color_output(true);
        table
            .load_style(presets::NOTHING)
            .enforce_styling()
            .set_truncation_indicator("…");
        table.style_text_only();
        match width() {
            Some(width) => {
                // One column stays free, or a full row would wrap.
                let width = u16::try_from(width.saturating_sub(1)).unwrap_or(u16::MAX);
                table
                    .set_content_arrangement(ContentArrangement::Dynamic)
                    .set_width(width);
            }
            None => {
                table.set_content_arrangement(ContentArrangement::Disabled);
            }
        }
        Self {
            table,
            columns: columns.to_vec(),
        }
    }

    /// Adds a row behind the others.
    pub fn row(&mut self, cells: impl IntoIterator<Item = Cell>) {
        let mut row =
            comfy_table::Row::from(cells.into_iter().map(|cell| cell.0).collect::<Vec<_>>());
        row.max_height(1);
        self.table.add_row(row);
    }

    /// The rows, each with its line end; nothing if there are none.
    pub fn text(mut self) -> String {
        let columns = self.columns;
        for (column, align) in self.table.column_iter_mut().zip(columns) {
            column.set_padding((1, 1));
            if align == Align::Right {
                column.set_cell_alignment(CellAlignment::Right);
            }
            if align != Align::Left {
                column.set_constraint(ColumnConstraint::ContentWidth);
            }
        }
        self.table
            .trim_fmt()
            .lines()
            .map(|line| format!(" {}\n", line.trim_end()))
            .collect()
    }
}
