//! A new template is a new file: the folder is watched, for the macro that takes it in watches only
//! the files that it found.

fn main() {
    println!("cargo::rerun-if-changed=templates");
}
