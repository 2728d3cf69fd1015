//! Names as people read them.

use bstr::BStr;

/// A path that can't harm the terminal: control characters, characters that turn the direction of
/// text or have no width, and bytes that aren't UTF-8 are written as escapes.
pub fn shown(path: &BStr) -> String {
    let mut text = String::with_capacity(path.len());
    for chunk in path.utf8_chunks() {
        for c in chunk.valid().chars() {
            if c.is_control() || is_invisible(c) {
                escaped(c, &mut text);
            } else {
                text.push(c);
            }
        }
        for byte in chunk.invalid() {
            text.push_str(&format!("\\x{byte:02x}"));
        }
    }
    text
}

/// Writes a character as an escape.
pub fn escaped(c: char, into: &mut String) {
    into.extend(c.escape_default());
}

/// Zero-width characters, and the controls of text direction (Unicode, general category Cf, and the
/// line separators).
pub fn is_invisible(c: char) -> bool {
    matches!(c, '\u{ad}' | '\u{61c}' | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{206f}' | '\u{feff}')
}

/// A shown path of at most `width` columns: what is left out is taken from its middle.
pub fn shortened(path: &str, width: usize) -> String {
    if console::measure_text_width(path) <= width || width < 8 {
        return path.to_owned();
    }
    let start = (width - 1) / 3;
    let end = width - 1 - start;
    let backwards: String = path.chars().rev().collect();
    let end = console::truncate_str(&backwards, end, "");
    let end: String = end.chars().rev().collect();
    format!("{}…{end}", console::truncate_str(path, start, ""))
}

/// A text of at most `width` columns, cut at its end.
pub fn cut(text: &str, width: usize) -> String {
    console::truncate_str(text, width, "…").into_owned()
}
