//! Text in UTF-32, which becomes UTF-8 on the way.

use std::io::{ErrorKind, Read, Result};

/// Which byte of four comes first.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Utf32 {
    LittleEndian,
    BigEndian,
}

impl Utf32 {
    /// The form that a text is in, by its byte-order mark or by the zeros around plain letters.
    pub(super) fn of_start(start: &[u8]) -> Option<Self> {
        let letters = |letter_at: usize| {
            let fours = start.chunks_exact(4);
            fours.len() >= 2
                && fours.into_iter().all(|four| {
                    let zeros = four.iter().enumerate().filter(|(at, _)| *at != letter_at);
                    zeros.into_iter().all(|(_, byte)| *byte == 0)
                        && (0x09..0x7f).contains(&four[letter_at])
                })
        };
        match start {
            [0xff, 0xfe, 0, 0, ..] => Some(Self::LittleEndian),
            [0, 0, 0xfe, 0xff, ..] => Some(Self::BigEndian),
            _ if letters(0) => Some(Self::LittleEndian),
            _ if letters(3) => Some(Self::BigEndian),
            _ => None,
        }
    }

    /// The same text in UTF-8; what is no character becomes the replacement character.
    pub(super) fn decode<R: Read>(self, file: R) -> Decoder<R> {
        Decoder {
            file,
            form: self,
            left: Vec::new(),
            ready: Vec::new(),
        }
    }
}

/// Reads UTF-32 as UTF-8.
pub(super) struct Decoder<R> {
    file: R,
    form: Utf32,
    /// Bytes of a character that isn't whole yet.
    left: Vec<u8>,
    /// What was decoded and not handed on.
    ready: Vec<u8>,
}

/// How much is read at a time, in bytes.
const PART: usize = 16 << 10;

impl<R: Read> Read for Decoder<R> {
    fn read(&mut self, into: &mut [u8]) -> Result<usize> {
        while self.ready.is_empty() {
            let mut part = [0; PART];
            let length = match self.file.read(&mut part) {
                Ok(0) => return Ok(0),
                Ok(length) => length,
                Err(error) if error.kind() == ErrorKind::Interrupted => continue,
                Err(error) => return Err(error),
            };
            self.left.extend_from_slice(&part[..length]);
            let whole = self.left.len() / 4 * 4;
            for four in self.left[..whole].chunks_exact(4) {
                let four = [four[0], four[1], four[2], four[3]];
                let number = match self.form {
                    Utf32::LittleEndian => u32::from_le_bytes(four),
                    Utf32::BigEndian => u32::from_be_bytes(four),
                };
                let letter = char::from_u32(number).unwrap_or(char::REPLACEMENT_CHARACTER);
                let mut bytes = [0; 4];
                self.ready
                    .extend_from_slice(letter.encode_utf8(&mut bytes).as_bytes());
            }
            self.left.drain(..whole);
        }
        let length = into.len().min(self.ready.len());
        into[..length].copy_from_slice(&self.ready[..length]);
        self.ready.drain(..length);
        Ok(length)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn utf_32_is_told_by_its_mark_or_its_zeros_and_read_as_utf_8() {
        let text = "gauge = \u{e9}\u{1f30a}\n";
        for (form, with_mark) in [
            (Utf32::LittleEndian, true),
            (Utf32::BigEndian, true),
            (Utf32::LittleEndian, false),
            (Utf32::BigEndian, false),
        ] {
            let mark = with_mark.then_some('\u{feff}');
            let encoded: Vec<u8> = mark
                .into_iter()
                .chain(text.chars())
                .flat_map(|letter| match form {
                    Utf32::LittleEndian => u32::from(letter).to_le_bytes(),
                    Utf32::BigEndian => u32::from(letter).to_be_bytes(),
                })
                .collect();
            assert_eq!(Utf32::of_start(&encoded[..24]), Some(form));
            let mut read = String::new();
            form.decode(&encoded[..]).read_to_string(&mut read).unwrap();
            assert_eq!(read.trim_start_matches('\u{feff}'), text);
        }
        assert_eq!(Utf32::of_start(b"gauge = 1\n"), None);
        assert_eq!(Utf32::of_start(b"g\0a\0u\0g\0"), None);
    }
}
