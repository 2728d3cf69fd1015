//! Output folders and files that a project's own settings name.

use super::{Output, SettingFormat};
use redshank_rules::{RepoPath, RepoPathBuf};
use serde_json::Value;

/// The paths that a settings file names, relative to the top; folders with a slash at their end.
/// `folder` is where the settings file lies. A path that leads
/// out of the repository, holds a variable, or would be the settings' own folder or one above it,
/// is not taken.
pub(super) fn named(output: &Output, folder: &RepoPath, text: &str) -> Vec<RepoPathBuf> {
    setting(output.format, &output.key, folder, text, output.is_file)
}

/// The same for any setting: its syntax, and where it is (see [`Output::key`]).
pub fn setting(
    format: SettingFormat,
    key: &str,
    folder: &RepoPath,
    text: &str,
    is_file: bool,
) -> Vec<RepoPathBuf> {
    // Its readers go into brackets one by one, and nobody nests settings so deep.
    if nesting(text) > DEEPEST {
        return Vec::new();
    }
    let values = match format {
        SettingFormat::Json => json5::from_str(text)
            .map(|value| at(&value, key))
            .unwrap_or_default(),
        SettingFormat::Toml => toml::from_str(text)
            .map(|value| at(&value, key))
            .unwrap_or_default(),
        SettingFormat::Ini => ini_value(text, key).into_iter().collect(),
        SettingFormat::Text => by_expression(text, key),
    };
    values
        .iter()
        .filter_map(|value| resolved(value, folder, is_file))
        .collect()
}

/// How deep brackets may be in each other.
const DEEPEST: usize = 100;

/// How deep brackets are in each other at most, whatever else the text is.
fn nesting(text: &str) -> usize {
    let (mut depth, mut deepest) = (0_usize, 0);
    for byte in text.bytes() {
        match byte {
            b'{' | b'[' => depth += 1,
            b'}' | b']' => depth = depth.saturating_sub(1),
            _ => continue,
        }
        deepest = deepest.max(depth);
    }
    deepest
}

/// The texts at a path of keys, also in lists; `*` stands for any key.
fn at(value: &Value, keys: &str) -> Vec<String> {
    if let Value::Array(items) = value {
        return items.iter().flat_map(|item| at(item, keys)).collect();
    }
    let (key, rest) = keys
        .split_once('.')
        .map_or((keys, None), |(key, rest)| (key, Some(rest)));
    let found: Vec<&Value> = match value {
        Value::Object(map) if key == "*" => map.values().collect(),
        Value::Object(map) => map.get(key).into_iter().collect(),
        _ => Vec::new(),
    };
    match rest {
        Some(rest) => found
            .into_iter()
            .flat_map(|inner| at(inner, rest))
            .collect(),
        None => found
            .into_iter()
            .flat_map(texts)
            .map(str::to_owned)
            .collect(),
    }
}

/// A text, or the texts of a list.
fn texts(value: &Value) -> Vec<&str> {
    match value {
        Value::Array(items) => items.iter().filter_map(Value::as_str).collect(),
        other => other.as_str().into_iter().collect(),
    }
}

fn ini_value(text: &str, key: &str) -> Option<String> {
    let (section, key) = key.rsplit_once('.')?;
    let mut ini = configparser::ini::Ini::new_cs();
    ini.read(text.to_owned()).ok()?;
    ini.get(section, key)
}

fn by_expression(text: &str, expression: &str) -> Vec<String> {
    let Ok(expression) = regex::RegexBuilder::new(expression)
        .multi_line(true)
        .build()
    else {
        return Vec::new();
    };
    expression
        .captures_iter(text)
        .filter_map(|found| Some(found.get(1)?.as_str().to_owned()))
        .collect()
}

fn resolved(value: &str, folder: &RepoPath, is_file: bool) -> Option<RepoPathBuf> {
    let value = value.trim().trim_start_matches("${configDir}/");
    if value.starts_with(['/', '~']) || value.contains(['$', '{', '%', '\\', ':', '\n', '*']) {
        return None;
    }
    let path = folder.resolve(value.into())?;
    // The settings' own folder, or one above it, is nothing that a tool writes.
    if path.is_top() || folder.is_within(&path.as_folder()) {
        return None;
    }
    Some(if is_file { path } else { path.as_folder() })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn named_by(format: SettingFormat, key: &str, text: &str) -> Vec<String> {
        let (file, reason) = (String::new(), String::new());
        let output = Output {
            file,
            format,
            key: key.to_owned(),
            is_file: false,
            once_there: false,
            reason,
            remake: None,
        };
        named(&output, "a/b/".into(), text)
            .iter()
            .map(ToString::to_string)
            .collect()
    }

    #[test]
    fn settings_of_every_syntax_are_read() {
        let tsconfig = "{\n // where\n \"compilerOptions\": { \"outDir\": \"./out\", },\n}";
        assert_eq!(
            named_by(SettingFormat::Json, "compilerOptions.outDir", tsconfig),
            ["a/b/out/"]
        );
        let projects = r#"{"projects": {"x": {"out": "o/x"}, "y": {"out": "o/y"}, "z": {}}}"#;
        assert_eq!(
            named_by(SettingFormat::Json, "projects.*.out", projects),
            ["a/b/o/x/", "a/b/o/y/"]
        );
        let toml = "[tool.mypy]\ncache_dir = \"../types\"\n";
        assert_eq!(
            named_by(SettingFormat::Toml, "tool.mypy.cache_dir", toml),
            ["a/types/"]
        );
        let ini = "[coverage:html]\ndirectory = report\n";
        assert_eq!(
            named_by(SettingFormat::Ini, "coverage:html.directory", ini),
            ["a/b/report/"]
        );
        let latex = "$pdf_mode = 1;\n$out_dir = 'made';\n";
        assert_eq!(
            named_by(
                SettingFormat::Text,
                r#"^\s*\$out_dir\s*=\s*['"]([^'"]+)"#,
                latex
            ),
            ["a/b/made/"]
        );
    }

    #[test]
    fn places_that_no_tool_may_claim_are_not_taken() {
        for value in [
            ".",
            "./",
            "..",
            "../..",
            "../../..",
            "../../../x",
            "/tmp/x",
            "~/x",
            "$HOME/x",
            "a\\\\b",
            "",
            "../../a",
        ] {
            let text = format!("{{\"out\": \"{value}\"}}");
            assert_eq!(
                named_by(SettingFormat::Json, "out", &text),
                [""; 0],
                "{value}"
            );
        }
        assert_eq!(named_by(SettingFormat::Json, "out", "{ broken"), [""; 0]);
        for open in ["[", "{\"a\":", "{[", "[["] {
            assert_eq!(
                named_by(SettingFormat::Json, "out", &open.repeat(200_000)),
                [""; 0]
            );
        }
    }
}
