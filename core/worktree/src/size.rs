//! Sizes.

use serde::{Deserialize, Serialize};
use std::fmt;
use std::iter::Sum;
use std::str::FromStr;

/// A number of bytes. Shown in binary units with one decimal; read from `"10 MiB"` or a plain
/// number of bytes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(transparent)]
pub struct Bytes(pub u64);

const UNITS: [&str; 6] = ["B", "KiB", "MiB", "GiB", "TiB", "PiB"];

impl fmt::Display for Bytes {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.0 < 1024 {
            return f.pad(&format!("{} B", self.0));
        }
        let mut value = self.0 as f64;
        let mut unit = 0;
        // A value that would be shown as 1024.0 belongs to the next unit.
        while value >= 1023.95 && unit + 1 < UNITS.len() {
            value /= 1024.0;
            unit += 1;
        }
        f.pad(&format!("{value:.1} {}", UNITS[unit]))
    }
}

impl FromStr for Bytes {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let expected =
            || format!("`{text}` is not a size; write it like \"10 MiB\", or as a number of bytes");
        let digits = text
            .trim_end_matches(|c: char| c.is_ascii_alphabetic())
            .trim_end();
        let unit = text[digits.len()..].trim();
        let power = if unit.is_empty() {
            Some(0)
        } else {
            UNITS.iter().position(|known| *known == unit)
        };
        let value: f64 = digits.parse().map_err(|_| expected())?;
        let bytes = value * 1024f64.powi(power.ok_or_else(expected)? as i32);
        if bytes.is_finite() && bytes >= 0.0 {
            Ok(Self(bytes as u64))
        } else {
            Err(expected())
        }
    }
}

impl<'de> Deserialize<'de> for Bytes {
    fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        #[derive(Deserialize)]
        #[serde(untagged)]
        enum Form {
            Number(u64),
            Negative(i64),
            Float(f64),
            Text(String),
        }
        let read = match Form::deserialize(from)? {
            Form::Number(bytes) => Ok(Self(bytes)),
            Form::Negative(number) => number.to_string().parse(),
            Form::Float(number) => format!("{number:?}").parse(),
            Form::Text(text) => text.parse(),
        };
        read.map_err(serde::de::Error::custom)
    }
}

impl Sum for Bytes {
    fn sum<I: Iterator<Item = Self>>(sizes: I) -> Self {
        Self(sizes.map(|size| size.0).sum())
    }
}

impl std::ops::AddAssign for Bytes {
    fn add_assign(&mut self, other: Self) {
        self.0 += other.0;
    }
}
