//! What a file was made of, beside it or in a folder parallel to its own.

use super::format::is_compiled_code;
use super::language::{Group, is_source_in_d, language};
use super::place::{
    in_small_letters, is_expected, is_output_name, is_release, is_tools_output, output_folder,
};
use super::{Subject, declared};
use crate::Surroundings;
use crate::evidence::{Detail, Evidence, Witness};
use bstr::{BStr, ByteSlice};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_tables::{TableError, packed, read, rows};
use redshank_worktree::tree::{Entry, EntryKind, State};
use serde::Deserialize;
use std::collections::{HashMap, HashSet};
use std::sync::LazyLock;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Pair {
    of: Vec<Form>,
    #[serde(default)]
    sure: Vec<Form>,
    #[serde(default)]
    makes: Vec<Form>,
    #[serde(default)]
    binary: bool,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    pair: Vec<Pair>,
}

static TABLE: LazyLock<Result<Table, TableError>> =
    LazyLock::new(|| read("sources and products", packed!("derived")));

/// A name with a stem in it, or without one.
#[derive(Clone, Deserialize)]
#[serde(from = "String")]
struct Form {
    before: Vec<u8>,
    after: Vec<u8>,
    has_stem: bool,
}

impl From<String> for Form {
    fn from(text: String) -> Self {
        let (before, after) = text.split_once('*').unwrap_or((&text, ""));
        Self {
            before: before.into(),
            after: after.into(),
            has_stem: text.contains('*'),
        }
    }
}

impl Form {
    /// The stem of a name of this form; empty where the form has none.
    fn stem<'n>(&self, name: &'n [u8]) -> Option<&'n [u8]> {
        if !self.has_stem {
            return (name == self.before).then_some(&[]);
        }
        let stem = name
            .strip_prefix(&*self.before)?
            .strip_suffix(&*self.after)?;
        (!stem.is_empty()).then_some(stem)
    }

    fn name(&self, stem: &[u8]) -> Vec<u8> {
        [&self.before, stem, &self.after].concat()
    }

    /// How its names end, from the last dot on; nothing if that is open.
    fn ending(&self) -> Option<&[u8]> {
        let text = if self.has_stem {
            &self.after
        } else {
            &self.before
        };
        let dot = text.rfind_byte(b'.')?;
        Some(&text[dot..])
    }
}

/// One form of a product, the pair that it is in, and whether only tools make it.
type Product = (&'static Form, &'static Pair, bool);

struct Products {
    by_ending: HashMap<&'static [u8], Vec<Product>>,
    /// Those whose names may end in anything.
    open: Vec<Product>,
    programs: Vec<&'static Pair>,
}

static PRODUCTS: LazyLock<Products> = LazyLock::new(|| {
    let mut products = Products {
        by_ending: HashMap::new(),
        open: Vec::new(),
        programs: Vec::new(),
    };
    for pair in rows(&TABLE).map_or(&[][..], |table| &table.pair) {
        if pair.binary {
            products.programs.push(pair);
        }
        let sure = pair.sure.iter().map(|form| (form, pair, true));
        let makes = pair.makes.iter().map(|form| (form, pair, false));
        for product in sure.chain(makes) {
            match product.0.ending() {
                Some(ending) => products.by_ending.entry(ending).or_default().push(product),
                None => products.open.push(product),
            }
        }
    }
    products
});

/// At most this many files of a name are looked at.
const NAMESAKES: usize = 16;
/// Of more files of a name and a size, a file is not taken for a copy of one.
const TWINS: usize = 6;

pub(super) fn testify(around: &Surroundings, subject: &Subject, evidence: &mut Vec<Evidence>) {
    let path = subject.path;
    let mut release = subject.release.into_iter();
    if release.any(|folder| around.is_own_release(folder)) {
        let detail = Detail::Said("part of a release of the project that it is in");
        return evidence.push(Evidence::new(Witness::Derived, "release", detail));
    }
    let name = path.name();
    let ending = path.extension().map(|ending| ending.as_bytes());
    let of_ending = ending.and_then(|ending| PRODUCTS.by_ending.get(ending));
    let is_code = matches!(subject.language, Some((_, Group::Code)));
    let mut best: Option<(&'static str, RepoPathBuf)> = None;
    for (form, pair, is_sure) in of_ending.into_iter().flatten().chain(&PRODUCTS.open) {
        let Some(stem) = form.stem(name) else {
            continue;
        };
        // A source in D is none of a list of what a source in C depends on.
        if form.after == b".d" && is_source_in_d(subject.head) {
            continue;
        }
        if let Some((source, is_beside)) = source(around, subject, stem, form, pair) {
            let row = match (is_beside, is_sure) {
                (true, true) => "beside-sure",
                (true, false) => "beside",
                // A source in a folder beside that of another language's is as often somebody's.
                (false, true) if is_code && subject.output.is_none() => "elsewhere",
                (false, true) => "elsewhere-sure",
                // In the folder that the project's settings name, it is what they speak of.
                (false, false) if !is_code && around.declared().makes(path) => "elsewhere-sure",
                (false, false) => "elsewhere",
            };
            let is_better = best
                .as_ref()
                .is_none_or(|(known, _)| rank(row) > rank(known));
            if is_better {
                best = Some((row, source));
            }
        }
    }
    if let Some(source) = mapped_from(around, path) {
        best = Some(("beside-sure", source));
    }
    if best.is_none() && is_program(subject) {
        best = program(around, path).map(|source| ("program", source));
        // Where people write only what is run as it is, nothing was compiled.
        if best.is_none()
            && is_compiled_code(subject.head)
            && subject.claim.is_none()
            && subject
                .output
                .is_none_or(|folder| !is_tools_output(folder.name()))
            && subject.hidden.is_none()
            && around.is_all_interpreted()
        {
            let detail = Detail::Said("nothing is here that a compiler would make it from");
            evidence.push(Evidence::new(Witness::Derived, "no-source", detail));
        }
    }
    if let Some((row, source)) = best {
        if subject.head.contains_str(source.name()) {
            evidence.push(Evidence::new(
                Witness::Derived,
                "names-its-source",
                Detail::MadeOf(source.clone()),
            ));
        }
        let word = subject.language.map_or("", |(ending, _)| ending);
        let found = Evidence::new(Witness::Derived, row, Detail::MadeOf(source));
        evidence.push(found.with_word(word));
    } else if let Some(wanted) = wanted_result(around, subject) {
        let detail = Detail::MadeOf(wanted);
        evidence.push(Evidence::new(Witness::Derived, "result", detail));
    } else if let Some(source) = put_aside(around, path) {
        let detail = Detail::MadeOf(source);
        evidence.push(Evidence::new(Witness::Derived, "put-aside", detail));
    } else if let Some(source) = copied_from(around, subject) {
        // A source in the place that it has among the sources, too, was put there by a build.
        let row = if is_code && is_parallel(path, &source) {
            "copy-parallel"
        } else {
            "copy"
        };
        evidence.push(Evidence::new(Witness::Derived, row, Detail::MadeOf(source)));
    }
}

/// The first source that the map beside a script or a style names (tc39.es/ecma426).
fn mapped_from(around: &Surroundings, path: &RepoPath) -> Option<RepoPathBuf> {
    let ending = path.extension()?.as_bytes();
    if !matches!(ending, b".js" | b".mjs" | b".cjs" | b".css") {
        return None;
    }
    let map = RepoPathBuf::from([path.as_bytes(), b".map"].concat());
    around.tree().get(&map)?;
    let text = around.head(&map);
    let (_, sources) = text.split_once_str("\"sources\":")?;
    let first = sources.trim_start().strip_prefix(b"[")?.trim_start();
    let first = first.strip_prefix(b"\"")?;
    let source = path
        .folder()
        .resolve(first[..first.find_byte(b'"')?].as_bstr())?;
    let is_there = source.as_bstr() != path.as_bstr() && around.tree().get(&source).is_some();
    is_there.then_some(source)
}

/// Whether a file may be a compiled program or library: by its ending, or without one.
fn is_program(subject: &Subject) -> bool {
    let endings = [
        ".exe", ".elf", ".bin", ".out", ".com", ".so", ".a", ".lib", ".dll", ".dylib", ".jar",
        ".wasm", ".prg", ".hex", ".run", ".app", ".img", ".rom", ".efi", ".vvp", ".byte",
        ".native", ".beam", ".class", ".o", ".obj",
    ];
    let ending = subject.path.extension();
    let is_open = ending.is_none_or(|ending| {
        endings
            .iter()
            .any(|known| ending.eq_ignore_ascii_case(known.as_bytes()))
    });
    is_open && subject.is_binary
}

fn rank(row: &str) -> usize {
    let order = ["elsewhere", "beside", "elsewhere-sure", "beside-sure"];
    order.iter().position(|known| *known == row).unwrap_or(0)
}

/// The source of a product, and whether it is in the same folder.
fn source(
    around: &Surroundings,
    subject: &Subject,
    stem: &[u8],
    form: &Form,
    pair: &Pair,
) -> Option<(RepoPathBuf, bool)> {
    let path = subject.path;
    let mut elsewhere = None;
    for of in &pair.of {
        if !form.has_stem {
            // A product without a stem may be of any such source beside it.
            let found = around.beside(path).find(|entry| {
                of.stem(entry.path.name()).is_some() && entry.path.as_bstr() != path.as_bstr()
            });
            if let Some(found) = found {
                return Some((found.path.clone(), true));
            }
            continue;
        }
        let name = of.name(stem);
        let mut namesakes = around.named(name.as_bstr()).peekable();
        if namesakes.peek().is_none() {
            continue;
        }
        // However many others are called so, the one beside it comes first.
        let beside = path.folder().join(&name);
        let is_source =
            |entry: &Entry| entry.state != State::Ignored && entry.kind == EntryKind::File;
        if *beside != *path && around.tree().get(&beside).is_some_and(is_source) {
            return Some((beside, true));
        }
        let is_same_type = of.ending() == form.ending();
        for entry in namesakes.take(NAMESAKES) {
            if entry.path.as_bstr() == path.as_bstr() {
                continue;
            }
            if entry.path.folder() == path.folder() {
                return Some((entry.path.clone(), true));
            }
            let is_open = !is_same_type || subject.output.is_some();
            if is_open
                && elsewhere.is_none()
                && output_folder(&entry.path).is_none()
                && is_parallel(path, &entry.path)
            {
                elsewhere = Some((entry.path.clone(), false));
            }
        }
    }
    elsewhere
}

/// The source of a program: of the same name, in any language that is compiled.
fn program(around: &Surroundings, path: &RepoPath) -> Option<RepoPathBuf> {
    let name = path.name();
    let bare = match path.extension() {
        Some(ending) => &name[..name.len() - ending.len()],
        None => name,
    };
    let stem = bare.strip_prefix(b"lib").unwrap_or(bare);
    [bare, stem].into_iter().find_map(|stem| {
        let mut found = around.of_stem(stem).take(NAMESAKES);
        let found = found.find(|entry| {
            let ending = entry.path.extension().map(|ending| ending.as_bytes());
            let is_compiled = ending.is_some_and(|ending| COMPILED.contains(ending));
            is_compiled && entry.path.as_bstr() != path.as_bstr()
        });
        found.map(|entry| entry.path.clone())
    })
}

/// The endings of sources that are compiled.
static COMPILED: LazyLock<HashSet<&'static [u8]>> = LazyLock::new(|| {
    let forms = PRODUCTS.programs.iter().flat_map(|pair| &pair.of);
    forms.filter_map(Form::ending).collect()
});

/// Those of them that are run as they are, too: mostly nothing is compiled of them.
const INTERPRETED: [&[u8]; 4] = [b".py", b".lua", b".pl", b".jl"];

/// The names of the folders that a path is in, the uppermost first.
fn folder_names(path: &RepoPath) -> Vec<&[u8]> {
    let names = path.folder().bare().as_bytes().split_str("/");
    names.filter(|name| !name.is_empty()).collect()
}

/// Whether one path is another in a folder beside the other's: `dist/chart/axis.js` to
/// `src/chart/axis.ts`, or `html/axis.html` to `axis.adoc`.
fn is_parallel(product: &RepoPath, source: &RepoPath) -> bool {
    let (product, source) = (folder_names(product), folder_names(source));
    let common = product
        .iter()
        .zip(&source)
        .take_while(|(a, b)| a == b)
        .count();
    let (product, source) = (&product[common..], &source[common..]);
    match (product, source) {
        // The product is deeper: `html/axis.html`, `build/html/axis.html`.
        (product, []) => product.len() <= 3,
        ([], _) => false,
        (product, source) => {
            let rest = &source[1..];
            product.ends_with(rest) && product.len() <= rest.len() + 3
        }
    }
}

/// What an editor, a merge or a person adds to the name of a file that is put aside.
const ASIDE: [&[u8]; 9] = [
    b".bak", b".backup", b".old", b".orig", b".save", b".tmp", b".temp", b".rej", b"~",
];

/// The file beside it that one is an earlier or unfinished copy of: `hub.conf.old`.
fn put_aside(around: &Surroundings, path: &RepoPath) -> Option<RepoPathBuf> {
    let mut endings = ASIDE.iter();
    let of = endings.find_map(|ending| path.as_bytes().strip_suffix(*ending))?;
    let of = RepoPathBuf::from(of.to_vec());
    let is_file = around.tree().get(&of).is_some() && !of.is_folder();
    // A licence or a notice that came with copied code is kept as it came.
    let is_prose = of.extension().is_none() || matches!(language(&of), Some((_, Group::Prose)));
    let is_kept = is_prose && path.as_bytes().ends_with(b".orig");
    (is_file && !is_kept).then_some(of)
}

/// What a test wants to come out, beside the folder of what came out: `expected/levels.out` of
/// `results/levels.out`.
fn wanted_result(around: &Surroundings, subject: &Subject) -> Option<RepoPathBuf> {
    let path = subject.path;
    let output = subject.output?;
    let mut namesakes = around.named(path.name()).take(NAMESAKES);
    let found = namesakes.find(|entry| {
        let (wanted, folder) = (&entry.path, entry.path.folder());
        is_expected(folder.name())
            && folder.folder() == output.folder()
            && wanted.below(folder).map(|rest| rest.as_bstr())
                == path.below(output).map(|rest| rest.as_bstr())
    });
    found.map(|entry| entry.path.clone())
}

impl Surroundings<'_> {
    /// Whether there are sources, and none is of a language that is compiled.
    fn is_all_interpreted(&self) -> bool {
        *self.interpreted.get_or_init(|| {
            let files = self.tree().to_commit_files();
            let mut sources = files
                .filter(|entry| matches!(language(&entry.path), Some((_, Group::Code))))
                .peekable();
            sources.peek().is_some()
                && sources.all(|entry| {
                    let ending = entry.path.extension().map(|ending| ending.as_bytes());
                    ending.is_some_and(|ending| {
                        INTERPRETED.contains(&ending) || !COMPILED.contains(ending)
                    })
                })
        })
    }
}

/// So many files of a release must be the same as the project's own.
const SAME: usize = 3;

impl Surroundings<'_> {
    /// Whether a folder, or one that it is in, is a release of the project that is beside it.
    pub fn is_released(&self, folder: &RepoPath) -> bool {
        let mut parts = folder.parts();
        parts.any(|part| is_release(part.name()) && self.is_own_release(part))
    }

    /// Whether a folder with a version in its name is a release of the project that it is in: at
    /// least some files, and a third of them, are the same as those beside it.
    fn is_own_release(&self, folder: &RepoPath) -> bool {
        if let Some(known) = self.releases.lock().get(folder) {
            return *known;
        }
        let files = self.tree().below(folder).take(10 * NAMESAKES);
        let (mut all, mut same) = (0, 0);
        for entry in files.filter(|entry| entry.kind == EntryKind::File) {
            all += 1;
            let own = entry
                .path
                .below(folder)
                .map(|rest| folder.folder().join(rest));
            let own = own.and_then(|own| self.tree().get(&own));
            same += usize::from(own.is_some_and(|own| {
                own.size == entry.size
                    && own.size.0 > 0
                    && self.head(&own.path) == self.head(&entry.path)
            }));
        }
        let answer = same >= SAME && same * 3 >= all;
        self.releases.lock().insert(folder.to_owned(), answer);
        answer
    }
}

/// The file that one in a folder of outputs is a copy of.
fn copied_from(around: &Surroundings, subject: &Subject) -> Option<RepoPathBuf> {
    let path = subject.path;
    let output = subject
        .output
        .filter(|folder| is_output_name(folder.name()))?;
    // A licence or a read-me comes with each part of a project.
    if subject.size.0 == 0 || declared::is_legal(path.name()) {
        return None;
    }
    // What is in two folders of the same name, may be somebody's twice.
    let is_akin = |other: &RepoPath| {
        let mut above = other.folders_above();
        above.any(|above| above.name().eq_ignore_ascii_case(output.name()))
    };
    let may_be_same = |entry: &&Entry| {
        entry.path.as_bstr() != path.as_bstr()
            && entry.size == subject.size
            && !is_akin(&entry.path)
    };
    let others = around.named(path.name()).take(NAMESAKES);
    let others: Vec<&Entry> = others.filter(may_be_same).collect();
    if others.len() > TWINS {
        return None;
    }
    let is_same = |entry: &&&Entry| around.head(&entry.path) == subject.head;
    let mut same = others.iter().filter(is_same);
    // What is the same in several places, such as a licence in small, is no copy of one of them.
    let first = same.next()?;
    same.next().is_none().then(|| first.path.clone())
}

impl Surroundings<'_> {
    /// The files of that name, whatever their case.
    pub(crate) fn named(&self, name: &BStr) -> impl Iterator<Item = &Entry> {
        let places = self.by_name().get(in_small_letters(name).as_bstr());
        let places = places.map_or(&[][..], Vec::as_slice);
        places.iter().map(|at| &self.tree().entries[*at as usize])
    }

    /// The files whose name without its last ending is this, whatever their case.
    fn of_stem(&self, stem: &[u8]) -> impl Iterator<Item = &Entry> {
        let places = self
            .by_stem()
            .get(in_small_letters(stem.as_bstr()).as_bstr());
        let places = places.map_or(&[][..], Vec::as_slice);
        places.iter().map(|at| &self.tree().entries[*at as usize])
    }

    /// The files in the same folder.
    pub(crate) fn beside(&self, path: &RepoPath) -> impl Iterator<Item = &Entry> {
        let folder = path.folder().to_owned();
        let below = self.tree().below(path.folder());
        below.filter(move |entry| entry.path.folder() == &*folder)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parallel_folders_are_distinguished_from_others() {
        let is = |product: &str, source: &str| is_parallel(product.into(), source.into());
        assert!(is("dist/chart/axis.js", "src/chart/axis.ts"));
        assert!(is("web/dist/axis.js", "web/src/axis.ts"));
        assert!(is("html/axis.html", "axis.adoc"));
        assert!(is("build/lib/chart/axis.js", "src/chart/axis.ts"));
        assert!(!is("dist/chart/axis.js", "src/map/axis.ts"));
        assert!(!is("axis.js", "src/axis.ts"));
    }

    #[test]
    fn every_form_has_a_stem_or_is_a_name() {
        let table = rows(&TABLE).unwrap();
        assert!(table.pair.len() > 50);
        let forms = table
            .pair
            .iter()
            .flat_map(|pair| pair.of.iter().chain(&pair.sure).chain(&pair.makes));
        for form in forms {
            assert!(!form.after.contains(&b'*'));
            assert!(form.has_stem || !form.before.is_empty());
        }
    }
}
