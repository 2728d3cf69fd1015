//! What a push would send, on the page.

use super::{MOST, SafeText, list, path};
use bstr::ByteSlice;
use maud::{Markup, html};
use redshank_findings::{Finding, Level, ScanResult};
use redshank_git::{Change, Destination, Outgoing};
use redshank_text::{self as text, count, files};
use redshank_worktree::size::Bytes;

/// What a push would send, and what in it shouldn't be seen.
pub struct PagePush {
    /// Where it goes.
    pub destination: Destination,
    /// What is sent.
    pub outgoing: Outgoing,
    /// The findings on every version on the way.
    pub scanned: ScanResult,
}

impl PagePush {
    /// The section; findings that the page has above are counted here, and not shown again.
    pub(super) fn section(&self, above: &[Finding]) -> Markup {
        let Destination { remote, branch, .. } = &self.destination;
        let sent = &self.outgoing;
        html! {
            section aria-labelledby="push" {
                h2 #push { "What a push would send" }
                @if sent.commits == 0 {
                    p { "Nothing to " (SafeText(remote)) "/" (SafeText(branch)) ", as far as this clone knows." }
                } @else {
                    p {
                        "To " (SafeText(remote)) "/" (SafeText(branch)) ": "
                        strong { (count(sent.commits)) " commits, " (files(sent.files.len() as u64)) }
                        ", " (Bytes(sent.bytes)) " in " (count(sent.objects)) " objects"
                        @if sent.stored.files > 0 {
                            "; large-file storage gets " (files(sent.stored.files)) ", " (Bytes(sent.stored.bytes))
                        }
                        "."
                    }
                    (self.authors())
                    (self.findings(above))
                    (self.files())
                }
            }
        }
    }

    fn authors(&self) -> Markup {
        html! {
            ul {
                @for (author, share) in &self.outgoing.authors {
                    li {
                        "by " (SafeText(author.to_string())) " "
                        span.quiet { (count(share.commits)) " commits" }
                        @if let Some(oddity) = share.oddity {
                            " " span.warning.word { (text::oddity(oddity)) }
                        }
                    }
                }
            }
        }
    }

    /// Every version on the way was looked into; notes are left to the terminal.
    fn findings(&self, above: &[Finding]) -> Markup {
        let findings = self.scanned.findings.iter();
        let serious = findings.filter(|one| one.level < Level::Note);
        let (again, new): (Vec<&Finding>, Vec<&Finding>) =
            serious.partition(|one| above.iter().any(|known| known.id == one.id));
        let new: Vec<Finding> = new.into_iter().cloned().collect();
        let groups = new.chunk_by(|a, b| (a.level, a.class()) == (b.level, b.class()));
        html! {
            @if again.is_empty() && new.is_empty() {
                @if self.scanned.is_complete() {
                    p { span.good { "Nothing found in it that shouldn't be pushed." } }
                } @else {
                    p { "Nothing found in what was scanned." }
                }
            }
            @if !again.is_empty() {
                p {
                    "Findings above that are sent: " (count(again.len() as u64)) ", such as "
                    a href=(format!("#finding-{}", again[0].id)) { (path(again[0].path.as_bstr())) } "."
                }
            }
            @for group in groups { (list(group)) }
        }
    }

    fn files(&self) -> Markup {
        let changed = &self.outgoing.files;
        html! {
            details {
                summary { (files(changed.len() as u64)) }
                ul {
                    @for file in changed.iter().take(MOST) {
                        li {
                            (word(file.change)) " " (path(file.path.as_bstr()))
                            @if let Some(size) = file.size { " " span.size { (Bytes(size)) } }
                        }
                    }
                }
                @if let Some(more) = changed.len().checked_sub(MOST).filter(|more| *more > 0) {
                    p { "and " (files(more as u64)) }
                }
            }
        }
    }
}

fn word(change: Change) -> &'static str {
    match change {
        Change::Added => "added",
        Change::Changed => "changed",
        Change::Removed => "removed",
    }
}
