//! Which commit the program is made from, and how, for `--version`. Outside a repository, none.

use vergen_gitcl::{CargoBuilder, Emitter, GitclBuilder, RustcBuilder};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    println!("cargo:rerun-if-changed=build.rs");
    Emitter::default()
        .add_instructions(
            &GitclBuilder::default()
                .sha(true)
                .commit_date(true)
                .build()?,
        )?
        .add_instructions(
            &CargoBuilder::default()
                .target_triple(true)
                .opt_level(true)
                .build()?,
        )?
        .add_instructions(&RustcBuilder::default().semver(true).build()?)?
        .emit()?;
    Ok(())
}
