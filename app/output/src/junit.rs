//! Expectations as JUnit XML, as continuous integration reads it.

use anyhow::Result;
use quick_xml::Writer;
use quick_xml::events::{BytesDecl, BytesText, Event};
use std::time::Duration;

/// A case of a test suite.
pub struct Case {
    /// What it is about.
    pub name: String,
    /// How long it took.
    pub took: Duration,
    /// If it failed: in a few words, and why.
    pub failure: Option<(String, String)>,
}

/// A test suite; every case is of the class that has the suite's name.
pub fn junit(name: &str, cases: &[Case]) -> Result<String> {
    let mut writer = Writer::new_with_indent(Vec::new(), b' ', 4);
    writer.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
    let tests = cases.len().to_string();
    let failed = cases.iter().filter(|case| case.failure.is_some()).count();
    let failed = failed.to_string();
    let took = seconds(cases.iter().map(|case| case.took).sum());
    let counts = [
        ("tests", &*tests),
        ("failures", &*failed),
        ("errors", "0"),
        ("time", &*took),
    ];
    writer
        .create_element("testsuites")
        .with_attribute(("name", "redshank"))
        .with_attributes(counts)
        .write_inner_content(|suites| {
            suites
                .create_element("testsuite")
                .with_attribute(("name", name))
                .with_attributes(counts)
                .write_inner_content(|suite| {
                    cases
                        .iter()
                        .try_for_each(|case| write_case(suite, name, case))
                })?;
            Ok(())
        })?;
    Ok(String::from_utf8(writer.into_inner())?)
}

fn write_case(suite: &mut Writer<Vec<u8>>, class: &str, case: &Case) -> std::io::Result<()> {
    let element = suite
        .create_element("testcase")
        .with_attribute(("classname", class))
        .with_attribute(("name", &*case.name))
        .with_attribute(("time", &*seconds(case.took)));
    match &case.failure {
        None => element.write_empty()?,
        Some((message, why)) => element.write_inner_content(|inner| {
            inner
                .create_element("failure")
                .with_attribute(("message", &**message))
                .write_text_content(BytesText::new(why))?;
            Ok(())
        })?,
    };
    Ok(())
}

fn seconds(took: Duration) -> String {
    format!("{:.3}", took.as_secs_f64())
}
