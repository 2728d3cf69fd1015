use serde::Deserialize;

/// The first bytes of a file, as hexadecimal digits; a dot stands for any digit.
#[derive(Debug, Clone, Deserialize)]
#[serde(try_from = "String")]
pub struct Signature {
    /// For each byte, the bits that count, and what they are.
    bytes: Vec<(u8, u8)>,
}

impl TryFrom<String> for Signature {
    type Error = String;

    fn try_from(written: String) -> Result<Self, String> {
        let digit = |digit: u8| match digit {
            b'.' => Ok((0, 0)),
            _ => char::from(digit)
                .to_digit(16)
                .map(|value| (15, value as u8))
                .ok_or_else(|| format!("`{written}` is not hexadecimal")),
        };
        let pairs = written.as_bytes().chunks(2).map(|pair| {
            let (high, low) = (
                digit(pair[0])?,
                pair.get(1).map_or(Ok((0, 0)), |low| digit(*low))?,
            );
            Ok((high.0 << 4 | low.0, high.1 << 4 | low.1))
        });
        Ok(Self {
            bytes: pairs.collect::<Result<_, String>>()?,
        })
    }
}

impl Signature {
    /// Its length, in bytes.
    #[allow(
        clippy::len_without_is_empty,
        reason = "an empty one would begin every file"
    )]
    pub fn len(&self) -> usize {
        self.bytes.len()
    }

    /// How many of its hexadecimal digits are given.
    pub fn digits(&self) -> u32 {
        let digits = self.bytes.iter().map(|(counts, _)| counts.count_ones() / 4);
        digits.sum()
    }

    /// Whether a text begins with it.
    pub fn begins(&self, text: &[u8]) -> bool {
        let mut pairs = self.bytes.iter().zip(text);
        text.len() >= self.bytes.len()
            && pairs.all(|((counts, wanted), found)| found & counts == *wanted)
    }
}
