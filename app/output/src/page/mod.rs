//! The picture of a working tree as one page of HTML: it needs no network and no script.
//!
//! Whatever comes from the repository goes through `SafeText`: markup in it is text, what could
//! turn the direction of text is an escape, and a secret is not shown.

mod push;
mod treemap;

pub use push::PagePush;

use super::screen;
use base64::Engine;
use bstr::{BStr, ByteSlice};
use maud::{DOCTYPE, Escaper, Markup, PreEscaped, Render, html};
use redshank_findings::{Finding, Level, ScanResult, Summary};
use redshank_origin::Origin;
use redshank_rules::RepoPath;
use redshank_templates::Project;
use redshank_text::{self as text, count, files, shown};
use redshank_worktree::FileStats;
use redshank_worktree::expectations::Outcome;
use redshank_worktree::sums::FolderSum;
use redshank_worktree::tree::{Entry, State};
use redshank_worktree::usage::{RuleStatus, RuleUsage, UsageReport};
use sha2::{Digest, Sha256};
use std::collections::HashMap;
use std::fmt::Write;
use treemap::{Measure, Treemap};

/// What tells a page of ours from another file.
pub const GENERATOR: &str = "<meta name=\"generator\" content=\"redshank\">";

/// How the page looks, in light and in dark.
const STYLE: &str = include_str!("style.css");

/// At most this many of one level and class are listed one by one; more belong into a terminal.
const MOST: usize = 200;

/// So many of the largest files are listed.
const LARGEST: usize = 20;

/// What the page tells.
pub struct Page<'a> {
    /// What is looked at: the name of the top folder, or of one in it.
    pub name: String,
    /// Whether it is a repository, and has a commit.
    pub standing: &'static str,
    /// Files by folder, with their sizes.
    pub sums: FolderSum<'a>,
    /// The projects that were recognised.
    pub projects: &'a [Project<'a>],
    /// Where the files come from that a commit would take.
    pub origin_of: &'a dyn Fn(&RepoPath) -> Origin,
    /// The findings, and what was not scanned.
    pub result: &'a ScanResult,
    /// The rules in force.
    pub usage: &'a UsageReport,
    /// The expectations, and how they came out.
    pub outcomes: Vec<Outcome<'a>>,
    /// What a push would send, where there is a remote to push to.
    pub push: Option<PagePush>,
    /// The next command, and what it is for.
    pub next: (&'static str, &'static str),
    /// When it was made.
    pub made: String,
}

/// A text that comes from the repository or may hold some of it.
struct SafeText<T>(T);

impl<T: AsRef<str>> Render for SafeText<T> {
    fn render_to(&self, into: &mut String) {
        // Writing into a text doesn't fail.
        let _ = Escaper::new(into).write_str(&screen::harmless_text(self.0.as_ref()));
    }
}

fn path(path: &BStr) -> Markup {
    html! { span.path { (SafeText(shown(path))) } }
}

impl Page<'_> {
    /// The whole document.
    pub fn html(&self) -> String {
        let style = Sha256::digest(STYLE);
        let style = base64::engine::general_purpose::STANDARD.encode(style);
        let policy = format!(
            "default-src 'none'; style-src 'sha256-{style}'; base-uri 'none'; form-action 'none'"
        );
        let page = html! {
            (DOCTYPE)
            html lang="en" {
                head {
                    meta charset="utf-8";
                    meta http-equiv="Content-Security-Policy" content=(policy);
                    meta name="viewport" content="width=device-width, initial-scale=1";
                    (PreEscaped(GENERATOR))
                    title { (SafeText(&self.name)) ": what a commit would hold" }
                    style { (PreEscaped(STYLE)) }
                }
                body {
                    a.skip href="#what" { "Skip to the picture" }
                    (self.head())
                    (self.nav())
                    main {
                        (self.maps())
                        (self.projects())
                        (self.findings())
                        (self.rules())
                        (self.expectations())
                        @if let Some(push) = &self.push { (push.section(&self.result.findings)) }
                    }
                    footer {
                        p { "Made by redshank on " (self.made) ". Nothing here leads outside this page." }
                    }
                }
            }
        };
        page.into_string()
    }

    fn head(&self) -> Markup {
        let (commit, out) = (self.sums.to_commit, self.sums.ignored);
        let (command, what_for) = self.next;
        html! {
            header {
                h1 { (SafeText(&self.name)) }
                @if !self.standing.is_empty() { p.quiet { (self.standing) } }
                p.lead {
                    "A commit of everything would hold " strong { (files(commit.files)) ", " (commit.size) }
                    "; ignored: " strong { (files(out.files)) ", " (out.size) } "."
                }
                p { "Next: " code { (command) } " " span.quiet { (what_for) } }
            }
        }
    }

    fn nav(&self) -> Markup {
        html! {
            nav aria-label="Sections" {
                ul {
                    li { a href="#what" { "What is here" } }
                    li { a href="#projects" { "Projects" } }
                    li { a href="#findings" { "Findings" } }
                    li { a href="#rules" { "Rules" } }
                    li { a href="#expectations" { "Expectations" } }
                    @if self.push.is_some() { li { a href="#push" { "Push" } } }
                }
            }
        }
    }

    fn maps(&self) -> Markup {
        let serious = self.result.findings.iter();
        let serious = serious.filter(|finding| finding.level < Level::Note);
        let mut worries = HashMap::new();
        for finding in serious {
            for place in finding.places() {
                worries.entry(&*place.path).or_insert(&*finding.id);
            }
        }
        let map = |measure, is_kept_out| {
            let map = Treemap {
                measure,
                is_kept_out,
                worries: &worries,
                origin_of: self.origin_of,
            };
            map.svg(&self.sums)
        };
        let maps = |measure| {
            html! {
                figcaption {
                    "What a commit would hold"
                    @for origin in Origin::ALL {
                        span.quiet { span class=(format!("key {origin}")) {} (origin) }
                    }
                    span.quiet { span.key.worry {} "a finding is about it" }
                }
                (map(measure, false))
                p.caption { "What is ignored" }
                (map(measure, true))
            }
        };
        html! {
            section aria-labelledby="what" {
                h2 #what { "What is here" }
                fieldset.maps {
                    legend { "By" }
                    input #by-size type="radio" name="measure" checked;
                    label for="by-size" { "size" }
                    input #by-count type="radio" name="measure";
                    label for="by-count" { "number of files" }
                    figure.by-size { (maps(Measure::Size)) }
                    figure.by-count { (maps(Measure::Count)) }
                }
                (self.largest())
                h3 { "By folder" }
                (self.folders())
            }
        }
    }

    /// The largest files that a commit would hold, each with where it comes from.
    fn largest(&self) -> Markup {
        let mut files = Vec::new();
        add_files(&self.sums, &mut files);
        files.sort_by_key(|entry| std::cmp::Reverse(entry.size));
        html! {
            h3 { "The largest files" }
            ol.largest {
                @for entry in files.iter().take(LARGEST) {
                    li {
                        span.size { (entry.size) } " " (path(entry.path.as_bstr()))
                        " " span.quiet { ((self.origin_of)(&entry.path)) }
                    }
                }
            }
        }
    }

    fn folders(&self) -> Markup {
        let here = |is_out: bool| {
            let mut here = if is_out {
                self.sums.ignored
            } else {
                self.sums.to_commit
            };
            for inner in &self.sums.folders {
                let part = if is_out {
                    inner.ignored
                } else {
                    inner.to_commit
                };
                here.files -= part.files;
                here.size.0 -= part.size.0;
            }
            here
        };
        let row = |name: Markup, commit: FileStats, out: FileStats| {
            html! {
                tr {
                    th scope="row" { (name) }
                    td.number { (count(commit.files)) } td.number { (commit.size) }
                    td.number { (count(out.files)) } td.number { (out.size) }
                }
            }
        };
        html! {
            div.scroll tabindex="0" role="region" aria-label="Table of folders" {
                table {
                    thead { tr {
                        th scope="col" { "Folder" }
                        th.number scope="col" { "Files to commit" } th.number scope="col" { "Size" }
                        th.number scope="col" { "Ignored" } th.number scope="col" { "Size" }
                    } }
                    tbody {
                        @for inner in self.sums.folders.iter().take(MOST) {
                            @let name = format!("{}/", inner.path.name());
                            (row(path(name.as_bytes().as_bstr()), inner.to_commit, inner.ignored))
                        }
                        (row(html! { "right here" }, here(false), here(true)))
                    }
                }
            }
        }
    }

    /// The projects, and behind them the traces of editors and systems.
    fn in_order(&self) -> Vec<&Project<'_>> {
        let (traces, own): (Vec<&Project>, Vec<&Project>) = self
            .projects
            .iter()
            .partition(|one| one.template.group.everywhere());
        own.into_iter().chain(traces).collect()
    }

    fn projects(&self) -> Markup {
        html! {
            section aria-labelledby="projects" {
                h2 #projects { "Projects" }
                @if self.projects.is_empty() { p { "No project type recognised." } }
                @else {
                    div.scroll tabindex="0" role="region" aria-label="Table of projects" {
                        table {
                            thead { tr {
                                th scope="col" { "Template" } th scope="col" { "What it is" }
                                th scope="col" { "Folder" } th scope="col" { "Recognised by" }
                            } }
                            tbody {
                                @for project in self.in_order() {
                                    tr {
                                        th scope="row" { code { (SafeText(&project.template.name)) } }
                                        td { (SafeText(&project.template.title)) }
                                        td { (path(super::folder_name(&project.folder).as_bytes().as_bstr())) }
                                        td { (path(project.evidence.as_bstr())) }
                                    }
                                }
                            }
                        }
                    }
                }
            }
        }
    }

    fn findings(&self) -> Markup {
        let findings = &self.result.findings;
        let sums = Summary::from_findings(findings);
        let groups = findings.chunk_by(|a, b| (a.level, a.class()) == (b.level, b.class()));
        html! {
            section aria-labelledby="findings" {
                h2 #findings { "Findings" }
                p {
                    @if findings.is_empty() { span.good { "Nothing found that shouldn't be committed." } }
                    @else {
                        span.error.word { (sums.errors) " errors" } ", "
                        span.warning.word { (sums.warnings) " warnings" } ", " (sums.notes) " notes."
                    }
                    @if self.result.accepted > 0 { " " (self.result.accepted) " are accepted in redshank.toml." }
                    @if !self.result.unread.is_empty() { " " (self.result.unread.len()) " paths could not be read." }
                }
                @for group in groups {
                    @if group[0].level < Level::Note { (list(group)) }
                    @else { details { summary { (title(group)) } (list_of(group)) } }
                }
            }
        }
    }

    fn rules(&self) -> Markup {
        let (works, idle): (Vec<&RuleUsage>, Vec<&RuleUsage>) = self
            .usage
            .rules
            .iter()
            .partition(|rule| rule.status == RuleStatus::Works);
        let mut works = works;
        works.sort_by_key(|rule| std::cmp::Reverse((rule.catches.files, rule.catches.size)));
        html! {
            section aria-labelledby="rules" {
                h2 #rules { "Rules" }
                @if self.usage.rules.is_empty() { p { "No rule is in force." } }
                @if !works.is_empty() { (rule_table(&works, "Rules that decide about something")) }
                @if !idle.is_empty() {
                    details {
                        summary { (count(idle.len() as u64)) " rules decide about nothing here" }
                        (rule_table(&idle, "Rules that decide about nothing"))
                    }
                }
            }
        }
    }

    fn expectations(&self) -> Markup {
        html! {
            section aria-labelledby="expectations" {
                h2 #expectations { "Expectations" }
                @if self.outcomes.is_empty() {
                    p { "None are recorded; " code { "redshank prove --record" } " proposes some." }
                } @else {
                    div.scroll tabindex="0" role="region" aria-label="Table of expectations" {
                        table {
                            thead { tr {
                                th scope="col" { "Outcome" } th scope="col" { "Expected" }
                                th scope="col" { "Path or pattern" } th scope="col" { "Because" }
                            } }
                            tbody { @for outcome in &self.outcomes { (row_of(outcome)) } }
                        }
                    }
                }
            }
        }
    }
}

/// All files below a folder that a commit would hold.
fn add_files<'t>(sum: &FolderSum<'t>, files: &mut Vec<&'t Entry>) {
    let own = sum.files.iter();
    files.extend(own.filter(|entry| entry.state != State::Ignored));
    for inner in &sum.folders {
        add_files(inner, files);
    }
}

fn title(group: &[Finding]) -> Markup {
    let (level, class) = (group[0].level, group[0].class());
    html! {
        span class=(format!("word {level}")) { (level) " " (class) }
        " " span.quiet { (count(group.len() as u64)) " · " (text::class(class)) }
    }
}

fn list(group: &[Finding]) -> Markup {
    html! { h3 { (title(group)) } (list_of(group)) }
}

fn list_of(group: &[Finding]) -> Markup {
    html! {
        ol.findings {
            @for finding in group.iter().take(MOST) { (item(finding)) }
        }
        @if group.len() > MOST {
            p { "And " (count((group.len() - MOST) as u64)) " more: " code { "redshank check" } }
        }
    }
}

fn item(finding: &Finding) -> Markup {
    let line = finding
        .line
        .map_or(String::new(), |line| format!(":{line}"));
    html! {
        li id=(format!("finding-{}", finding.id)) class=(format!("is-{}", finding.level)) {
            p {
                (path(finding.path.as_bstr())) (line)
                @if let Some(size) = finding.size { " " span.quiet { (size) } }
            }
            p { (SafeText(text::message(finding))) }
            @if let Some(evidence) = text::evidence(finding) { p.quiet { (SafeText(evidence)) } }
            p { span.good.word { "fix: " } (SafeText(text::remedy(finding))) }
            @let commands = text::cleanup(finding);
            @if !commands.is_empty() {
                details {
                    summary { "The commands for this case" }
                    pre { code { @for command in commands { (SafeText(command)) "\n" } } }
                }
            }
            p.quiet { code { (finding.id) } " · " code { (finding.rule.to_string()) } }
        }
    }
}

fn rule_table(rules: &[&RuleUsage], label: &str) -> Markup {
    html! {
        div.scroll tabindex="0" role="region" aria-label=(label) {
            table {
                thead { tr {
                    th scope="col" { "Rule" } th scope="col" { "Where" }
                    th.number scope="col" { "Files" } th.number scope="col" { "Size" } th scope="col" { "What it does" }
                } }
                tbody {
                    @for rule in rules.iter().take(MOST) {
                        tr {
                            th scope="row" { code { (SafeText(text::pattern(rule.rule().text.as_bstr()))) } }
                            td { (path(rule.list.source.shown.as_bstr())) ":" (rule.rule().line) }
                            td.number { (count(rule.catches.files)) } td.number { (rule.catches.size) }
                            td { (SafeText(text::status(rule))) }
                        }
                    }
                }
            }
        }
        @if rules.len() > MOST {
            p { "And " (count((rules.len() - MOST) as u64)) " more: " code { "redshank rules" } }
        }
    }
}

fn row_of(outcome: &Outcome) -> Markup {
    let expected = outcome.expected;
    let what = expected.path.as_ref().or(expected.pattern.as_ref());
    html! {
        tr {
            td {
                @if outcome.wrong.is_empty() { span.good.word { "holds" } }
                @else { span.error.word { "failed" } }
            }
            td { (expected.expected()) }
            th scope="row" { code { (SafeText(what.map_or("", |text| text.as_str()))) } }
            td { (SafeText(expected.because.as_deref().unwrap_or_default())) }
        }
    }
}
