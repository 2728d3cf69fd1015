//! Sizes, as they are written and read.

use redshank_worktree::size::Bytes;

#[test]
fn sizes_are_written_and_read_in_binary_units() {
    for (bytes, text) in [
        (0, "0 B"),
        (1023, "1023 B"),
        (1024, "1.0 KiB"),
        (1536, "1.5 KiB"),
        (1_048_524, "1023.9 KiB"),
        (1_048_575, "1.0 MiB"),
        (10 << 20, "10.0 MiB"),
        (5 << 30, "5.0 GiB"),
        (u64::MAX, "16384.0 PiB"),
    ] {
        assert_eq!(Bytes(bytes).to_string(), text);
    }
    for (text, bytes) in [
        ("10 MiB", 10 << 20),
        ("0.5KiB", 512),
        ("77", 77),
        ("3 B", 3),
    ] {
        assert_eq!(text.parse(), Ok(Bytes(bytes)));
    }
    for text in ["", "MiB", "ten", "10 MB", "-1", "1 furlong", "NaN"] {
        assert!(text.parse::<Bytes>().is_err(), "{text}");
    }
}
