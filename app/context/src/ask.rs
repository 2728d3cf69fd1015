//! Asking a person at a terminal: the one way in which every command does.
//!
//! A question names the keys that answer it, the one that Enter alone stands for in capitals. What
//! is typed shows, and counts once Enter is pressed; what is no answer is asked for again. Esc and
//! Ctrl-C answer nothing: all stays as it was.

use anyhow::Result;
use console::{Key, Term};
use redshank_output::signals;
use redshank_text::shown;
use std::io::ErrorKind;
use std::sync::Mutex;

/// An answer: its key, and what it does.
pub type Answer = (char, &'static str);

/// At most this many columns of a line are left for what is typed.
const ROOM: usize = 4;

/// Yes or no; Enter alone is no.
pub const YES_OR_NO: &[Answer] = &[('n', "no"), ('y', "yes")];

/// Asks until an answer is given: its key or its word and Enter; the first answer is that of Enter
/// alone. Anything else, and `?`, shows the answers and asks again. Returns the key, or nothing for
/// Esc.
///
/// # Errors
/// If the terminal is gone.
pub fn one_of(question: &str, answers: &[Answer]) -> Result<Option<char>> {
    let term = Term::stderr();
    signals::forget_typed();
    let whole_prompt = format!("{question} {}", choices(answers));
    let room = usize::from(term.size().1).saturating_sub(ROOM).max(ROOM);
    let lines = textwrap::wrap(&whole_prompt, room);
    let (last, above) = lines
        .split_last()
        .map_or(("", &[][..]), |(last, above)| (last, above));
    for line in above {
        term.write_line(line)?;
    }
    let mut typed = String::new();
    term.write_str(&format!("{last} "))?;
    loop {
        match whole(term.read_key())? {
            Key::Enter => match answer(&typed, answers) {
                Some((key, word)) => {
                    // What Enter alone stands for shows, too.
                    let word = if typed.trim().is_empty() { &word } else { "" };
                    term.write_line(word)?;
                    return Ok(Some(key));
                }
                None => {
                    term.write_line("")?;
                    explain(&term, &typed, answers)?;
                    term.write_str(&format!("{last} "))?;
                    typed.clear();
                }
            },
            Key::Escape => {
                term.write_line("")?;
                return Ok(None);
            }
            Key::Backspace if typed.pop().is_some() => term.clear_chars(1)?,
            Key::Char(key) if typed.len() < room => {
                typed.push(key);
                term.write_str(key.encode_utf8(&mut [0; 4]))?;
            }
            _ => {}
        }
    }
}

/// The answer that was typed, and what is shown of it.
fn answer(typed: &str, answers: &[Answer]) -> Option<(char, String)> {
    let typed = typed.trim().to_lowercase();
    if typed.is_empty() {
        let (key, _) = answers.first()?;
        return Some((*key, word_of(answers.first()?)));
    }
    let found = answers.iter().find(|(key, does)| {
        let first = does.split([' ', ',', ';']).next().unwrap_or_default();
        typed == key.to_string() || typed == first.to_lowercase()
    })?;
    Some((found.0, word_of(found)))
}

/// What is shown where Enter alone took an answer.
fn word_of((key, does): &Answer) -> String {
    let first = does.split([' ', ',', ';']).next().unwrap_or_default();
    if first.starts_with(*key) {
        first.to_owned()
    } else {
        key.to_string()
    }
}

/// The answers behind a question: with their words when they are first met, later by their keys.
fn choices(answers: &[Answer]) -> String {
    static KNOWN: Mutex<Vec<String>> = Mutex::new(Vec::new());
    let keys: Vec<String> = answers.iter().enumerate().map(letter).collect();
    let keys = format!("[{}]", keys.join("/"));
    let is_new = KNOWN.lock().is_ok_and(|mut known| {
        let is_new = !known.contains(&keys);
        known.extend(is_new.then(|| keys.clone()));
        is_new
    });
    if is_new && answers.len() <= MOST_IN_WORDS {
        legend(answers)
    } else {
        keys
    }
}

/// So many answers are written behind their question; more are shown for `?`.
const MOST_IN_WORDS: usize = 5;

/// The answers in words, such as `[Y]es, [n]o, [d] see what it does`.
fn legend(answers: &[Answer]) -> String {
    let words = answers.iter().enumerate().map(|(at, answer)| {
        let (key, does) = answer;
        let letter = letter((at, answer));
        match does.strip_prefix(*key) {
            Some(rest) => format!("[{letter}]{rest}"),
            None => format!("[{letter}] {does}"),
        }
    });
    words.collect::<Vec<_>>().join(", ")
}

fn explain(term: &Term, typed: &str, answers: &[Answer]) -> Result<()> {
    if !["?", "help", "h"].contains(&typed.trim()) {
        term.write_line(&format!(
            "  \u{201c}{}\u{201d} isn't an answer",
            shown(typed.as_bytes().into())
        ))?;
    }
    Ok(term.write_line(&format!(
        "  {}; then Enter, or Esc to stop",
        legend(answers)
    ))?)
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
    signals::forget_typed();
    text_again(question)
}

/// The same for a question that was shown before: what is typed meanwhile is for it.
///
/// # Errors
/// If the terminal is gone.
pub fn text_again(question: &str) -> Result<Option<String>> {
    let theme = dialoguer::theme::SimpleTheme;
    let asked = dialoguer::Input::<String>::with_theme(&theme)
        .with_prompt(question)
        .allow_empty(true)
        .interact_text();
    let said = whole(asked.map_err(|dialoguer::Error::IO(error)| error))?;
    Ok(Some(said.trim().to_owned()).filter(|said| !said.is_empty()))
}

/// What came of a question; anyone who presses Ctrl-C gets the terminal back as it was, and nothing
/// is changed.
///
/// # Errors
/// If the terminal is gone.
pub fn whole<T>(asked: std::io::Result<T>) -> Result<T> {
    match asked {
        Err(error) if error.kind() == ErrorKind::Interrupted => {
            signals::stop("nothing was changed")
        }
        asked => Ok(asked?),
    }
}
