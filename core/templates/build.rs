//! Packs the templates that come with the program, one line of JSON each: TOML takes several times
//! as long to parse, and every start parses them all.

use std::error::Error;
use std::path::Path;
use std::{env, fs};

const FOLDER: &str = "templates";

fn main() -> Result<(), Box<dyn Error>> {
    println!("cargo::rerun-if-changed={FOLDER}");
    let files = fs::read_dir(FOLDER)?.collect::<Result<Vec<_>, _>>()?;
    let mut paths: Vec<_> = files.into_iter().map(|file| file.path()).collect();
    paths.sort();
    let lines = paths.iter().map(|path| pack(path));
    let packed = lines.collect::<Result<String, _>>()?;
    fs::write(
        Path::new(&env::var("OUT_DIR")?).join("templates.json"),
        packed,
    )?;
    Ok(())
}

fn pack(path: &Path) -> Result<String, Box<dyn Error>> {
    let text = fs::read_to_string(path)?;
    let template: toml::Table =
        toml::from_str(&text).map_err(|cause| format!("{}: {cause}", path.display()))?;
    Ok(serde_json::to_string(&template)? + "\n")
}
