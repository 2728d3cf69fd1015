//! Secrets in tables: the column of a name that says so, in a list with a head or a statement that
//! fills one in.

use super::names::{self, NameKind};
use super::value::is_mixed;
use bstr::ByteSlice;
use std::ops::Range;

/// A value of a column.
pub(super) struct Cell {
    /// Where the name of its column stands.
    pub(super) name: Range<usize>,
    pub(super) value: Range<usize>,
    /// What the name says.
    pub(super) says: NameKind,
}

/// A shorter word in a list of logins is none.
const LEAST_PASSWORD: usize = 6;

/// So many rows of a table are looked at.
const ROWS: usize = 100;

/// The values of secret columns in a list with a head, of text with a sign between the columns.
pub(super) fn of_list(text: &[u8]) -> Vec<Cell> {
    let Some(head) = text.lines().next() else {
        return Vec::new();
    };
    let sign = [b',', b';', b'\t', b'|']
        .into_iter()
        .max_by_key(|sign| memchr::memchr_iter(*sign, head).count());
    let Some(sign) = sign.filter(|sign| head.contains(sign) && head.len() < 2000) else {
        return Vec::new();
    };
    let names = cells(0..head.len(), text, sign);
    let secret = names
        .iter()
        .enumerate()
        .filter_map(|(nth, name)| Some((nth, name.clone(), names::kind_of(&text[name.clone()])?)));
    let secret: Vec<(usize, Range<usize>, NameKind)> = secret.collect();
    if secret.is_empty() {
        return Vec::new();
    }
    let mut found = Vec::new();
    let mut at = head.len() + 1;
    let Some(rows) = text.get(at..) else {
        return found;
    };
    for line in rows.split_str("\n").take(ROWS) {
        let row = cells(at..at + line.trim_end().len(), text, sign);
        at += line.len() + 1;
        if row.len() == names.len() {
            found.extend(secret.iter().map(|(nth, name, says)| Cell {
                name: name.clone(),
                value: row[*nth].clone(),
                says: *says,
            }));
        }
    }
    found
}

/// The values of secret columns in tables as texts have them: a head, a line of hyphens, rows between
/// bars.
pub(super) fn of_text(text: &[u8]) -> Vec<Cell> {
    let mut found = Vec::new();
    let mut secret: Vec<(usize, Range<usize>, NameKind)> = Vec::new();
    let (mut before, mut at, mut rows) = (0..0, 0, 0);
    for line in text.split_str("\n") {
        let this = at..at + line.trim_end().len();
        at += line.len() + 1;
        let is_rule = line.contains(&b'|')
            && line.contains_str("--")
            && line.iter().all(|byte| b"|-: \t\r+".contains(byte));
        if is_rule {
            let names = cells(before.clone(), text, b'|').into_iter().enumerate();
            secret = names
                .filter_map(|(nth, name)| {
                    let says = names::kind_of(&text[name.clone()])?;
                    Some((nth, name, says))
                })
                .collect();
            rows = 0;
        } else if !line.contains(&b'|') {
            secret.clear();
        } else if !secret.is_empty() && rows < ROWS {
            rows += 1;
            let row = cells(this.clone(), text, b'|');
            found.extend(secret.iter().filter_map(
                |(nth, name, says): &(usize, Range<usize>, NameKind)| {
                    Some(Cell {
                        name: name.clone(),
                        value: row.get(*nth)?.clone(),
                        says: *says,
                    })
                },
            ));
        }
        before = this;
    }
    found
}

/// The passwords of a list of logins: of each line the last word that looks like one, or what is behind
/// its last colon.
pub(super) fn of_logins(text: &[u8]) -> Vec<Cell> {
    let mut found = Vec::new();
    let mut at = 0;
    for line in text.split_str("\n").take(ROWS) {
        let start = at;
        at += line.len() + 1;
        let is_comment = line.trim_start().starts_with(b"#");
        let words = line.fields().filter(|_| !is_comment);
        let places = words.map(|word| {
            let from = start + (word.as_ptr() as usize - line.as_ptr() as usize);
            from..from + word.len()
        });
        let places: Vec<Range<usize>> = places.collect();
        let is_pair =
            places.len() > 1 || places.iter().any(|word| text[word.clone()].contains(&b':'));
        let value = places.into_iter().rev().map(|word| {
            let colon = text[word.clone()].rfind_byte(b':').map_or(0, |at| at + 1);
            bare(word.start + colon..word.end, text)
        });
        let is_address = |value: &Range<usize>| {
            let value = &text[value.clone()];
            value
                .iter()
                .all(|byte| byte.is_ascii_hexdigit() || b".:/*".contains(byte))
                && !value.iter().all(u8::is_ascii_hexdigit)
        };
        let value = value
            .filter(|value| value.len() >= LEAST_PASSWORD && !is_address(value))
            .find(|value| is_mixed(&text[value.clone()]));
        if let (Some(value), true) = (value, is_pair) {
            found.push(Cell {
                name: start..start,
                value,
                says: NameKind::Password,
            });
        }
    }
    found
}

/// The values of the secret column of a statement: `INSERT INTO users (name, password) VALUES (…)`,
/// and of rows copied in.
pub(super) fn of_statement(text: &[u8], keyword: &Range<usize>) -> Vec<Cell> {
    let from = keyword.start.saturating_sub(600);
    let Some(opens) = text[from..keyword.start]
        .rfind_byte(b'(')
        .map(|at| from + at)
    else {
        return Vec::new();
    };
    let head = text[opens.saturating_sub(120)..opens].to_ascii_lowercase();
    let Some(closes) = text[keyword.end..]
        .iter()
        .take(600)
        .position(|byte| *byte == b')')
        .map(|at| keyword.end + at)
    else {
        return Vec::new();
    };
    let names = cells(opens + 1..closes, text, b',');
    if head.trim_start().starts_with(b"copy ") || head.contains_str("\ncopy ") {
        return of_copy(text, closes, &names);
    }
    if !head.contains_str("insert into") && !head.contains_str("replace into") {
        return Vec::new();
    }
    let rest = &text[closes + 1..text.len().min(closes + 4000)];
    let values = rest.trim_start().to_ascii_lowercase();
    if !values.starts_with(b"values") {
        return Vec::new();
    }
    let mut found = Vec::new();
    let mut at = closes + 1;
    for _ in 0..ROWS {
        let Some(start) = text[at..].iter().take(200).position(|byte| *byte == b'(') else {
            break;
        };
        let start = at + start + 1;
        let Some(end) = end_of_row(text, start) else {
            break;
        };
        let row = cells(start..end, text, b',');
        if row.len() == names.len() {
            for (name, value) in names.iter().zip(&row) {
                if let (Some(says), true) = (
                    names::kind_of(&text[name.clone()]),
                    text[..value.start].ends_with(b"'"),
                ) {
                    found.push(Cell {
                        name: name.clone(),
                        value: value.clone(),
                        says,
                    });
                }
            }
        }
        at = end + 1;
        if text.get(at..).unwrap_or_default().trim_start().first() != Some(&b',') {
            break;
        }
    }
    found
}

/// The same of what a dump copies in: `COPY users (name, password) FROM stdin;`, rows with tabs,
/// `\.`
fn of_copy(text: &[u8], closes: usize, names: &[Range<usize>]) -> Vec<Cell> {
    let Some(head) = text[closes..].lines().next() else {
        return Vec::new();
    };
    let mut found = Vec::new();
    let mut at = closes + head.len() + 1;
    for line in text
        .get(at..)
        .unwrap_or_default()
        .split_str("\n")
        .take(ROWS)
    {
        if line.starts_with(b"\\.") || line.is_empty() {
            break;
        }
        let row = cells(at..at + line.trim_end().len(), text, b'\t');
        at += line.len() + 1;
        for (name, value) in names.iter().zip(&row) {
            if let Some(says) = names::kind_of(&text[name.clone()]) {
                found.push(Cell {
                    name: name.clone(),
                    value: value.clone(),
                    says,
                });
            }
        }
    }
    found
}

/// Where the row ends that starts there.
fn end_of_row(text: &[u8], start: usize) -> Option<usize> {
    let mut is_quoted = false;
    let row = text[start..].iter().take(4000);
    let mut ends = row.enumerate().filter(|(_, byte)| {
        is_quoted ^= **byte == b'\'';
        **byte == b')' && !is_quoted
    });
    ends.next().map(|(at, _)| start + at)
}

/// The cells of a row, without quotes.
fn cells(row: Range<usize>, text: &[u8], sign: u8) -> Vec<Range<usize>> {
    let mut cells = Vec::new();
    let (mut start, mut quote) = (row.start, 0);
    for at in row.clone() {
        let byte = text[at];
        if quote == 0 && (byte == b'"' || byte == b'\'') {
            quote = byte;
        } else if byte == quote {
            quote = 0;
        } else if quote == 0 && byte == sign {
            cells.push(bare(start..at, text));
            start = at + 1;
        }
    }
    cells.push(bare(start..row.end, text));
    cells
}

fn bare(mut cell: Range<usize>, text: &[u8]) -> Range<usize> {
    let is_around = |byte: u8| byte.is_ascii_whitespace() || b"\"'`".contains(&byte);
    while cell.start < cell.end && is_around(text[cell.start]) {
        cell.start += 1;
    }
    while cell.start < cell.end && is_around(text[cell.end - 1]) {
        cell.end -= 1;
    }
    cell
}
