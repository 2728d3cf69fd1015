//! Packs the tables.

use std::error::Error;

fn main() -> Result<(), Box<dyn Error>> {
    redshank_tables::pack(&["src"])
}
