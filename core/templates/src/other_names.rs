//! Other names that people type for templates.

use redshank_worktree::toml_file;
use serde::Deserialize;
use std::collections::HashMap;
use std::path::Path;
use std::sync::LazyLock;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    other: HashMap<String, String>,
}

static TABLE: LazyLock<HashMap<String, String>> = LazyLock::new(|| {
    let read = toml_file::read::<Table>(
        include_str!("other_names.toml"),
        Path::new("other_names.toml"),
    );
    // The tests see to it that it can be read.
    read.map(|table| table.other).unwrap_or_default()
});

/// The template that is meant by another name, whatever its case.
pub(crate) fn meant(name: &str) -> Option<&'static str> {
    TABLE.get(&name.to_lowercase()).map(String::as_str)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Collection;

    #[test]
    fn every_other_name_means_a_template_and_is_none_itself() {
        let templates = Collection::built_in().unwrap();
        assert!(TABLE.len() > 50);
        for (name, template) in &*TABLE {
            assert!(
                templates.iter().any(|one| one.name == *template),
                "{template}"
            );
            assert!(!templates.iter().any(|one| one.name == *name), "{name}");
            assert_eq!(templates.find(name).unwrap().name, *template);
        }
        assert_eq!(templates.find("IntelliJ").unwrap().name, "jetbrains");
    }
}
