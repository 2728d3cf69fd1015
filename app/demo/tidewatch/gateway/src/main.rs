//! Reads lines of readings from the gauges and prints the water level of each.

mod reading;

use reading::Reading;
use std::io::BufRead;

fn main() {
    for line in std::io::stdin().lock().lines().map_while(Result::ok) {
        match line.parse::<Reading>() {
            Ok(reading) => println!("{}: {:.2} m", reading.gauge, reading.level()),
            Err(reason) => eprintln!("{line}: {reason}"),
        }
    }
}
