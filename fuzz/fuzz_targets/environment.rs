//! Any bytes as an environment file: a sample holds no credential, and what is shown is masked.
#![no_main]

use bstr::ByteSlice;
use libfuzzer_sys::fuzz_target;
use redshank_changes::sample;
use redshank_secrets::masked;

fuzz_target!(|bytes: &[u8]| {
    if let Some(made) = sample::sample(bytes) {
        let text = made.text.to_str_lossy();
        assert_eq!(masked(&text), text);
        // A sample of a sample is the same.
        assert_eq!(
            sample::sample(&made.text).map(|again| again.text),
            Some(made.text.clone()),
            "{text}"
        );
    }
});
