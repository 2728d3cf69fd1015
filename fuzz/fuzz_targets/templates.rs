//! Any bytes as a template.
#![no_main]

use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    let _ = redshank_templates::Template::parse(bytes.to_vec(), std::path::Path::new("x.toml"));
});
