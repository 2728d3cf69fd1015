//! Every template's own examples.

use redshank_templates::{Collection, check, prove, prove_beside};

#[test]
fn every_template_proves_its_examples_and_every_rule_has_some() {
    let all = Collection::built_in().unwrap();
    assert!(all.is_sorted_by_key(|template| &template.name));
    for template in all.iter() {
        let (failures, tries) = prove(template);
        assert!(failures.is_empty(), "{}: {failures:?}", template.name);
        assert!(
            tries > 0 || !template.folder.is_empty() || !template.attribute.is_empty(),
            "{}",
            template.name
        );
        assert_eq!(check(template), [], "{}", template.name);
        all.with(template).unwrap();
        for rule in &template.rule {
            let negated = rule.pattern.starts_with('!');
            assert!(
                negated || !rule.ignored.is_empty(),
                "{}: {} has nothing it ignores",
                template.name,
                rule.pattern
            );
            assert!(
                !rule.kept.is_empty(),
                "{}: {} has nothing it keeps",
                template.name,
                rule.pattern
            );
        }
    }
}

#[test]
fn a_wrong_example_fails_its_template() {
    let mut rust = Collection::built_in()
        .unwrap()
        .find("rust")
        .unwrap()
        .clone();
    rust.rule[0].kept.push("target/kept".to_owned());
    rust.rule[0].ignored.push("src/main.rs".to_owned());
    let (failures, _) = prove(&rust);
    let examples: Vec<&str> = failures
        .iter()
        .map(|failure| failure.example.as_str())
        .collect();
    // At the top, one folder down, and in a folder with an odd name.
    assert_eq!(examples, ["src/main.rs", "target/kept"].repeat(3));
}

#[test]
fn no_template_keeps_out_what_its_neighbours_need() {
    let all = Collection::built_in().unwrap();
    for template in all.iter() {
        let (failures, tries) = prove_beside(template, &all);
        assert!(
            tries > 500 && failures.is_empty(),
            "{}: {failures:?}",
            template.name
        );
    }
    let mut rust = all.find("rust").unwrap().clone();
    rust.rule[0].pattern = "*.toml".to_owned();
    let (failures, _) = prove_beside(&rust, &all);
    let needed_by: Vec<&str> = failures
        .iter()
        .filter_map(|one| one.needed_by.as_deref())
        .collect();
    assert!(needed_by.contains(&"python"), "{needed_by:?}");
}
