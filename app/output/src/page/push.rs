//! What a push would send, on the page.

use super::{MOST, SafeText, list, path};
use bstr::ByteSlice;
use maud::{Markup, html};
use redshank_findings::{Finding, Level, ScanResult};
use redshank_git::{Change, Destination, Outgoing, is_no_address};
use redshank_text::{count, files};
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
    pub(super) fn section(&self) -> Markup {
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
                    (self.findings())
                    (self.files())
                }
            }
        }
    }

    fn authors(&self) -> Markup {
        html! {
            ul {
                @for (author, commits) in &self.outgoing.authors {
                    li {
                        "by " (SafeText(author.to_string())) " "
                        span.quiet { (count(*commits)) " commits" }
                        @if is_no_address(author.email.as_bytes().as_bstr()) {
                            " " span.warning.word { "no address that reaches anybody" }
                        }
                    }
                }
            }
        }
    }

    /// Every version on the way was looked into; notes are left to the terminal.
    fn findings(&self) -> Markup {
        let findings = &self.scanned.findings;
        let serious = findings.iter().position(|one| one.level == Level::Note);
        let serious: &[Finding] = &findings[..serious.unwrap_or(findings.len())];
        let groups = serious.chunk_by(|a, b| (a.level, a.class()) == (b.level, b.class()));
        html! {
            @if serious.is_empty() {
                p { span.good { "Nothing found in it that shouldn't be pushed." } }
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
