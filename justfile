# The things one does here: `just` lists them.

_list:
    @just --list --unsorted

# Build the program and lay out the demo in target/tidewatch
demo:
    rm -rf target/tidewatch
    cargo run --quiet -- demo --files-only target/tidewatch

# All tests, or those whose name holds a word
test word="":
    cargo test --workspace {{word}}

# Lints, format and documentation
lint:
    cargo fmt --all --check
    cargo clippy --workspace --all-targets -- --deny warnings
    RUSTDOCFLAGS="--deny warnings" cargo doc --workspace --no-deps --document-private-items --quiet

# What must hold before anything lands
ci:
    bash .ci/run

# Take in what the commands say now; read the difference
snapshots:
    INSTA_UPDATE=always cargo test -p redshank --test it snapshots
    git diff --stat program/tests/it/snapshots

# Write the JSON Schemas anew
schemas:
    REDSHANK_WRITE_SCHEMAS=1 cargo test -p redshank-report

# Prove every built-in template by its own examples
templates:
    cargo run --quiet -- templates test

# How long the snapshot takes to answer again
bench:
    cargo bench -p redshank-worktree

# Side by side with git, cat and find
compare:
    cargo build --release
    benches/table.py

# How many instructions fixed workloads take, beside what is written down
instructions:
    CARGO_PROFILE_RELEASE_STRIP=false cargo build --release
    benches/instructions.py

# The program for Windows, under wine; for macOS, linked
systems:
    bash .ci/windows
    bash .ci/macos

# The pictures in docs/screenshots, made from the demo
pictures:
    tools/pictures

# The program for packages: a little faster
dist:
    cargo build --profile dist --locked
