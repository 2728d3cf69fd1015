//! What templates offer to anyone who completes a line.

use bstr::ByteSlice;
use redshank_rules::RepoPathBuf;
use redshank_rules::fit;
use redshank_templates::{Collection, Survey};
use redshank_text as text;
use redshank_worktree::Class;

#[derive(Default)]
pub struct Offers {
    /// The rules of the templates that fit the projects which are here.
    pub rules: Vec<RuleOffer>,
    /// The templates: name, title, and all rules, a line each.
    pub templates: Vec<(String, String, String)>,
    /// Their variants, as in redshank.toml, each with its title.
    pub variants: Vec<(String, String)>,
}

/// A rule that a template offers.
pub struct RuleOffer {
    /// The folder whose ignore file it is for.
    pub folder: RepoPathBuf,
    pub pattern: String,
    /// The template's name, and the reason.
    pub about: String,
}

impl Offers {
    /// What templates offer here.
    pub fn collect(collection: &Collection, survey: Option<&Survey>) -> Self {
        let projects = survey.iter().flat_map(|survey| &survey.projects);
        let rules = projects.flat_map(|project| {
            project.template.rule.iter().flat_map(|rule| {
                let about = format!("{}: {}", project.template.name, rule.reason);
                let folder = project.rules_folder();
                let at_top = fit(&rule.pattern, folder.as_bstr()).to_string();
                let own = RuleOffer {
                    pattern: rule.pattern.clone(),
                    about: about.clone(),
                    folder: folder.clone(),
                };
                let at_top = (!folder.is_top()).then(|| RuleOffer {
                    folder: RepoPathBuf::default(),
                    pattern: at_top,
                    about,
                });
                [Some(own), at_top].into_iter().flatten()
            })
        });
        let variants = collection.iter().flat_map(|template| {
            let titles = template.variant.iter().map(|variant| variant.title.clone());
            template.variant_names().zip(titles).collect::<Vec<_>>()
        });
        Self {
            rules: rules.collect(),
            templates: collection
                .iter()
                .map(|template| {
                    let rules: Vec<&str> =
                        template.rule.iter().map(|rule| &*rule.pattern).collect();
                    let (name, title) = (template.name.clone(), template.title.clone());
                    (name, title, rules.join("\n"))
                })
                .collect(),
            variants: variants.collect(),
        }
    }

    /// What the text between quotes can be behind a key of redshank.toml.
    pub fn of_setting(&self, key: &str) -> Vec<(String, String)> {
        match key {
            "variants" => self.variants.clone(),
            "without" => {
                let rules = self.rules.iter();
                let own = rules.map(|rule| (rule.pattern.clone(), rule.about.clone()));
                own.collect()
            }
            _ => Vec::new(),
        }
    }
}

/// What the text between quotes can be behind a key of a template.
pub fn of_template_key(key: &str) -> Vec<(String, String)> {
    match key {
        "class" => Class::ALL
            .iter()
            .map(|class| (class.word().to_owned(), text::class(*class).to_owned()))
            .collect(),
        _ => Vec::new(),
    }
}
