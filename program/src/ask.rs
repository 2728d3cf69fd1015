//! Asking a person at a terminal: the one way in which every command does.
//!
//! A question names the keys that answer it, the one that Enter alone stands for in capitals. A key
//! shows, and counts once Enter is pressed, so that no key's line end is left over for the next
//! question. Esc and Ctrl-C answer nothing: all stays as it was.

use crate::stop;
use anyhow::Result;
use console::{Key, Term};
use std::io::ErrorKind;

/// An answer: its key, and what it does.
pub type Answer = (char, &'static str);

/// So many columns of a line are left for what is typed.
const ROOM: usize = 4;

/// Yes or no; Enter alone is no.
pub const YES_OR_NO: &[Answer] = &[('n', "no"), ('y', "yes")];

/// Asks until one of the keys and Enter is pressed; the first answer is that of Enter alone. Gives
/// the key, or nothing for Esc.
///
/// # Errors
/// If the terminal is gone.
pub fn one_of(question: &str, answers: &[Answer]) -> Result<Option<char>> {
    let term = Term::stderr();
    let keys: Vec<String> = answers.iter().enumerate().map(letter).collect();
    let whole_prompt = format!("{question} [{}]", keys.join("/"));
    // The last line is written anew with each key; those above it only once.
    let room = usize::from(term.size().1).saturating_sub(ROOM).max(ROOM);
    let lines = textwrap::wrap(&whole_prompt, room);
    let (last, above) = lines
        .split_last()
        .map_or(("", &[][..]), |(last, above)| (last, above));
    for line in above {
        term.write_line(line)?;
    }
    let prompt = format!("{last} ");
    let mut typed = None;
    let show = |typed: Option<char>| -> Result<()> {
        term.clear_line()?;
        let typed = typed.map_or(String::new(), String::from);
        Ok(term.write_str(&format!("{prompt}{typed}"))?)
    };
    show(typed)?;
    loop {
        match whole(term.read_key())? {
            Key::Enter => {
                term.write_line("")?;
                return Ok(typed.or_else(|| answers.first().map(|(key, _)| *key)));
            }
            Key::Escape => {
                term.write_line("")?;
                return Ok(None);
            }
            Key::Backspace => typed = None,
            Key::Char(key) => {
                let key = key.to_ascii_lowercase();
                if answers.iter().any(|(known, _)| *known == key) {
                    typed = Some(key);
                } else {
                    let all: Vec<String> = answers
                        .iter()
                        .map(|(key, does)| format!("{key} {does}"))
                        .collect();
                    term.write_line(&format!(
                        "\n  {}; then Enter, or Esc to leave it",
                        all.join(", ")
                    ))?;
                }
            }
            _ => {}
        }
        show(typed)?;
    }
}

fn letter((at, (key, _)): (usize, &Answer)) -> String {
    match at {
        0 => key.to_uppercase().collect(),
        _ => key.to_string(),
    }
}

/// Asks for a line of text; nothing if it is left empty.
///
/// # Errors
/// If the terminal is gone.
pub fn text(question: &str) -> Result<Option<String>> {
    let theme = dialoguer::theme::SimpleTheme;
    let asked = dialoguer::Input::<String>::with_theme(&theme)
        .with_prompt(question)
        .allow_empty(true)
        .interact_text();
    let said = whole(asked.map_err(|dialoguer::Error::IO(error)| error))?;
    Ok(Some(said.trim().to_owned()).filter(|said| !said.is_empty()))
}

/// What came of a question; whoever presses Ctrl-C gets the terminal back as it was, and nothing is
/// changed.
///
/// # Errors
/// If the terminal is gone.
pub fn whole<T>(asked: std::io::Result<T>) -> Result<T> {
    match asked {
        Err(error) if error.kind() == ErrorKind::Interrupted => stop::stop("nothing was changed"),
        asked => Ok(asked?),
    }
}
