//! One reading of one gauge.

use std::str::FromStr;

/// Pressure above the sensor, as the gauge sends it.
pub struct Reading {
    /// The gauge's name.
    pub gauge: String,
    /// In hectopascals.
    pub pressure: f64,
}

impl Reading {
    /// Height of water above the sensor, in metres.
    pub fn level(&self) -> f64 {
        const HECTOPASCALS_A_METRE: f64 = 100.5;
        self.pressure / HECTOPASCALS_A_METRE
    }
}

impl FromStr for Reading {
    type Err = &'static str;

    fn from_str(line: &str) -> Result<Self, Self::Err> {
        let (gauge, pressure) = line.split_once(' ').ok_or("a gauge and its pressure were expected")?;
        let pressure = pressure.trim().parse().map_err(|_| "the pressure is not a number")?;
        Ok(Self { gauge: gauge.to_owned(), pressure })
    }
}
