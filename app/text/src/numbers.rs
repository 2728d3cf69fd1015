//! Numbers as people read them.

use indicatif::HumanCount;

/// A number with its thousands set apart.
pub fn count(number: u64) -> String {
    HumanCount(number).to_string()
}

/// A number of files, in words.
pub fn files(number: u64) -> String {
    match number {
        1 => "1 file".to_owned(),
        many => format!("{} files", count(many)),
    }
}
