//! Links that lead nowhere in somebody else's clone.

use super::{Class, Finding, Found, Level, Look};
use crate::Result;
use crate::tree::{Entry, Kind, State};
use bstr::{BString, ByteSlice};

pub(super) fn find(look: &Look, found: &mut Found) -> Result<()> {
    for entry in look
        .tree
        .to_commit()
        .filter(|entry| entry.kind == Kind::Link)
    {
        let Ok(target) = look.place.root.link_target(entry.path.as_bstr()) else {
            continue;
        };
        found.findings.extend(finding(look, entry, target)?);
    }
    Ok(())
}

fn finding(look: &Look, entry: &Entry, target: BString) -> Result<Option<Finding>> {
    let make = |class, name, message: &str, words: &str| {
        let made = Finding::on(entry, class, name, Level::Warning, message);
        Ok(Some(
            made.with_evidence(format!("to {target}")).by_hand(words),
        ))
    };
    if target.starts_with(b"/") {
        let words = "make it relative, or keep it out with a rule of your own";
        return make(
            Class::Personal,
            "absolute-link",
            "a link to a place on this machine; it leads nowhere elsewhere",
            words,
        );
    }
    let Some(path) = resolved(entry.path.as_bstr(), target.as_bstr()) else {
        let words = "put what it leads to into the repository, or keep the link out";
        return make(
            Class::Needed,
            "link-outside",
            "a link to what lies outside the repository; no clone has it",
            words,
        );
    };
    // Through another link it may lead anywhere; that one has its own finding.
    if matches!(look.place.root.meta_if_there(path.as_bstr()), Ok(None)) {
        return make(
            Class::Needed,
            "broken-link",
            "a link to what isn't there",
            "mend the link, or delete it",
        );
    }
    let answer = look.oracle.ask(path.as_bstr())?;
    if answer.state == State::Ignored {
        let words = "let in what it leads to, or keep the link out, too";
        return make(
            Class::Needed,
            "link-to-ignored",
            "a link to what a rule keeps out; a clone has the link only",
            words,
        );
    }
    Ok(None)
}

/// Where a relative link leads, from the top; nothing if that is outside.
fn resolved(link: &bstr::BStr, target: &bstr::BStr) -> Option<BString> {
    let mut parts: Vec<&[u8]> = link.split_str("/").collect();
    parts.pop();
    for part in target.split_str("/") {
        match part {
            b"" | b"." => {}
            b".." => {
                parts.pop()?;
            }
            name => parts.push(name),
        }
    }
    Some(bstr::join("/", parts).into())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn relative_links_are_followed_from_where_they_are() {
        let leads = |link: &str, target: &str| {
            resolved(link.into(), target.into()).map(|path| path.to_string())
        };
        assert_eq!(leads("a/b/link", "../c/./d"), Some("a/c/d".into()));
        assert_eq!(leads("link", "a//b"), Some("a/b".into()));
        assert_eq!(leads("a/link", "../../out"), None);
    }
}
