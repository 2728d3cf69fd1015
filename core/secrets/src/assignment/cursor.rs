//! A place in a text, from which it is read on.

/// A place, and how far it may be read.
pub(super) struct Cursor<'t> {
    pub(super) text: &'t [u8],
    pub(super) at: usize,
    pub(super) end: usize,
}

impl<'t> Cursor<'t> {
    pub(super) fn rest(&self) -> &'t [u8] {
        &self.text[self.at.min(self.end)..self.end]
    }

    /// A part of the text, as far as there is any.
    pub(super) fn part(&self, from: usize, to: usize) -> &'t [u8] {
        let to = to.min(self.text.len());
        &self.text[from.min(to)..to]
    }

    pub(super) fn peek(&self) -> u8 {
        self.rest().first().copied().unwrap_or(0)
    }

    pub(super) fn skip(&mut self, is_skipped: impl Fn(u8) -> bool) -> usize {
        let many = self
            .rest()
            .iter()
            .take_while(|byte| is_skipped(**byte))
            .count();
        self.at += many;
        many
    }

    pub(super) fn blanks(&mut self) -> usize {
        self.skip(|byte| byte == b' ' || byte == b'\t')
    }

    /// Takes one of these, the longest first, whatever its case.
    pub(super) fn take(&mut self, wanted: &[&[u8]]) -> bool {
        let rest = self.rest();
        let longest = wanted
            .iter()
            .filter(|word| {
                rest.len() >= word.len() && rest[..word.len()].eq_ignore_ascii_case(word)
            })
            .map(|word| word.len())
            .max();
        self.at += longest.unwrap_or(0);
        longest.is_some()
    }
}
