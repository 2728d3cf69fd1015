//! Any bytes as a record of the journal: none of them is this person's.
#![no_main]

use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    assert_ne!(redshank_changes::journal::record_in(bytes), Some(true));
});
