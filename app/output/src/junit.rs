//! Expectations as JUnit XML, as continuous integration reads it.

use anyhow::Result;
use quick_xml::Writer;
use quick_xml::events::{BytesDecl, BytesText, Event};

/// A case of a test suite.
pub struct Case {
    /// What it is about.
    pub name: String,
    /// If it failed: in a few words, and why.
    pub failure: Option<(String, String)>,
}

/// A test suite.
pub fn junit(name: &str, cases: &[Case]) -> Result<String> {
    let mut writer = Writer::new_with_indent(Vec::new(), b' ', 4);
    writer.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
    let tests = cases.len().to_string();
    let failed = cases.iter().filter(|case| case.failure.is_some()).count();
    let failed = failed.to_string();
    let counts = [("tests", &*tests), ("failures", &*failed), ("errors", "0")];
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
                    cases.iter().try_for_each(|case| write_case(suite, case))
                })?;
            Ok(())
        })?;
    Ok(String::from_utf8(writer.into_inner())?)
}

fn write_case(suite: &mut Writer<Vec<u8>>, case: &Case) -> std::io::Result<()> {
    let element = suite
        .create_element("testcase")
        .with_attribute(("name", &*case.name));
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
