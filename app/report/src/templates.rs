//! Templates.

use redshank_templates::{Collection, Failure, Group, Template, TemplateSource};
use serde::Serialize;

/// A template, as `templates --format json` and `--format jsonl` list it.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct TemplateRowOut {
    /// How it is asked for.
    pub name: String,
    /// What it is for.
    pub title: String,
    /// What kind of thing it covers.
    pub group: Group,
    /// Grows by one with every change.
    pub revision: u32,
    /// How many rules it has.
    pub rules: usize,
    /// Where it comes from: `built-in`, `policy`, `yours` or `team`.
    pub origin: &'static str,
    /// Whether it hides a farther one of the same name.
    pub hides: bool,
}

impl TemplateRowOut {
    /// A template as it is listed.
    pub fn new(collection: &Collection, template: &Template) -> Self {
        let mut hidden = collection.hidden.iter();
        Self {
            name: template.name.clone(),
            title: template.title.clone(),
            group: template.group,
            revision: template.revision,
            rules: template.rule.len(),
            origin: match &template.origin {
                TemplateSource::BuiltIn => "built-in",
                TemplateSource::Policy(_) => "policy",
                TemplateSource::Personal(_) => "yours",
                TemplateSource::Team(_) => "team",
            },
            hides: hidden.any(|hidden| hidden.name == template.name),
        }
    }
}

/// `templates test --format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.templates-test/1"))]
pub struct TestOut {
    /// Always `redshank.templates-test/1`.
    pub schema: &'static str,
    /// How many templates were tried.
    pub templates: usize,
    /// Number of examples that were tried.
    pub tried: usize,
    /// The examples that failed.
    pub failed: Vec<ExampleOut>,
}

/// An example that doesn't come out as its template says.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ExampleOut {
    /// The template that it is about.
    pub template: String,
    /// The pattern whose example it is.
    pub pattern: String,
    /// Path that is the example.
    pub example: String,
    /// Whether it should have been ignored.
    pub expected_ignored: bool,
    /// The folder that the project was supposed in: empty for the top.
    pub folder: String,
    /// The other template that needs it, if it is no example of this one.
    pub needed_by: Option<String>,
}

impl ExampleOut {
    /// A failure as it is written.
    pub fn new(template: &str, failure: &Failure) -> Self {
        Self {
            template: template.to_owned(),
            pattern: failure.pattern.clone(),
            example: failure.example.clone(),
            expected_ignored: failure.expected_ignored,
            folder: failure.folder.to_string(),
            needed_by: failure.needed_by.clone(),
        }
    }
}

/// `templates new --format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.templates-new/1"))]
pub struct NewTemplateOut {
    /// Always `redshank.templates-new/1`.
    pub schema: &'static str,
    /// Where it is, or would be.
    pub path: String,
    /// Contents of the sample, without values.
    pub text: String,
    /// Whether it was written.
    pub written: bool,
}
