//! Commands, wherever they are written: scripts, package files, pipelines, readmes. What they
//! remove, what they write, what their options name as output.

use super::Said;
use bstr::ByteSlice;
use redshank_rules::{PatternSet, RepoPath};
use regex::bytes::{Captures, Regex};
use std::sync::LazyLock;

/// Files in which commands are written.
static COMMAND_FILES: LazyLock<PatternSet> = LazyLock::new(|| {
    [
        "*.sh",
        "*.bash",
        "*.zsh",
        "*.fish",
        "*.bat",
        "*.cmd",
        "*.ps1",
        "Makefile*",
        "makefile*",
        "GNUmakefile",
        "*.mk",
        "*.mak",
        "justfile",
        ".justfile",
        "Justfile",
        "*.just",
        "Rakefile",
        "*.rake",
        "Taskfile*",
        "package.json",
        "composer.json",
        "deno.json*",
        "*.yml",
        "*.yaml",
        "*.toml",
        "*.cfg",
        "*.ini",
        "Dockerfile*",
        "Containerfile*",
        "Jenkinsfile*",
        "Procfile*",
        "Vagrantfile",
        "Snakefile",
        "*.smk",
        "*.nf",
        "*.ninja",
        "*.md",
        "*.markdown",
        "*.rst",
        "*.adoc",
        "*.org",
        "README*",
        "INSTALL*",
        "HACKING*",
        "CONTRIBUTING*",
        "build",
        "build.*",
        "run",
        "make.*",
        "compile*",
        "noxfile.py",
        "tasks.py",
        "dodo.py",
        "fabfile.py",
        "wscript",
        "SConstruct",
        "SConscript",
        "xmake.lua",
        "premake*.lua",
        "*.cmake",
        "CMakeLists.txt",
        "meson.build",
        "dune",
        "*.bazel",
        "*.bzl",
        "Earthfile",
        "Tiltfile",
        "*.tcl",
        "*.ys",
        "*.gpr",
        "*.el",
        "*.mod",
        "*.hxml",
        "*.nimble",
        "*.nims",
        "*.gradle*",
        "*.kts",
        "*.xml",
        "*.csproj",
        "*.pro",
        "*.pri",
        "*.f",
        "*.spec",
        "rules",
    ]
    .map(str::to_owned)
    .to_vec()
    .into()
});

/// Whether commands are written in a file of that name.
pub(super) fn is_command_file(path: &RepoPath) -> bool {
    COMMAND_FILES.has(path) || path.extension().is_none()
}

/// Whether a file is a script for a shell.
pub(super) fn is_shell_script(path: &RepoPath, text: &[u8]) -> bool {
    let endings = [".sh", ".bash", ".zsh", ".ksh"];
    let is_by_name = path
        .extension()
        .is_some_and(|ending| endings.iter().any(|known| ending == known));
    is_by_name
        || path.extension().is_none() && text.starts_with(b"#!") && {
            text.lines()
                .next()
                .is_some_and(|line| line.ends_with(b"sh"))
        }
}

#[allow(clippy::expect_used, reason = "the tests compile each of them")]
fn expression(text: &str) -> Regex {
    // In bytes: a word's end in Unicode is ten times slower to find.
    let of_bytes = regex::bytes::RegexBuilder::new(text).unicode(false).build();
    of_bytes.expect("an expression of the program's own")
}

/// Removing files, with what follows on the line.
static REMOVES: LazyLock<Regex> = LazyLock::new(|| {
    expression(
        r#"(?m)(?:^|[\s;&|@`"'(\[+-])(?:rm|rimraf|del-cli|trash|rmdir|del|erase|Remove-Item|RM\)|\$\(RM\)|\$RM)((?:[ \t]+[^\s;&|]+)+)"#,
    )
});

/// Options that name where to write: a word for it, perhaps with what is written before it and what
/// the value is after it, as in `--html-report-dir`. A word in which one of these only stands,
/// such as `--template` or `--reporter`, names something else.
static OPTIONS: LazyLock<Regex> = LazyLock::new(|| {
    expression(concat!(
        r#"(?:^|[\s"'\[,(])(?:-o|-B|-d|-D|-O|-of|-od|--?(?:[A-Za-z0-9]+[-_.])*(?i:"#,
        r"out|output|outputs|dest|destination|report|reports|coverage|coverprofile|cache|trace|dump|save|export|emit|",
        r"junit|junitxml|metafile|result|results|artifact|artifacts|storage|tmp|temp|",
        r"(?:target|build|dist|site|html|bin|obj|install|work|data|log|cover|profile|write)[-_]?(?:dir|directory|folder|file|path|out|to)",
        r")(?:[-_]?(?i:dir|dirs|directory|folder|file|files|filename|path|paths|name|root|prefix|location|to|html|xml|json|lcov|svg|png|pdf|csv|txt|txtfile))*)",
        r#"(?:["']?\s*[,=:]\s*["']?|\s+["']?)([A-Za-z0-9_.@+][^\s"'`,;|&)\]]*)"#,
    ))
});

/// An output option and its value written as one word: `-osim.out`.
static GLUED: LazyLock<Regex> = LazyLock::new(|| {
    expression(r#"[\s"'](?:-o|-of=|-od=|/Fe|/Fo|/OUT:)([A-Za-z0-9_./][^\s"'`,;|&)\]]+)"#)
});

/// Redirection into a file; `tee`.
static REDIRECTS: LazyLock<Regex> = LazyLock::new(|| {
    expression(
        r#"(?m)(?:\S[^\n]*?[^-=<>\n]>{1,2}[ \t]*|[ \t][12&]>{1,2}[ \t]*|\btee[ \t]+(?:-a[ \t]+)?)["']?([A-Za-z0-9_.][^\s"'`,;|&)\]>]*)"#,
    )
});

/// Packing files into an archive, and copying one to another name.
static PACKS: LazyLock<Regex> = LazyLock::new(|| {
    expression(
        r#"(?m)\b(?:tar[ \t]+-{0,2}[a-zA-Z]*c[a-zA-Z]*f|jar[ \t]+-{0,2}[a-zA-Z]*c[a-zA-Z]*f[a-zA-Z]*|zip[ \t]+(?:-\S+[ \t]+)*|ar[ \t]+-?[a-zA-Z]*r[a-zA-Z]*|7z[ \t]+a)[ \t]+["']?([A-Za-z0-9_.][^\s"'`,;|&)]*)"#,
    )
});
static COPIES: LazyLock<Regex> = LazyLock::new(|| {
    expression(
        r#"(?m)(?:^|[\s;&|@`"'])cp[ \t]+(?:-\S+[ \t]+)*[^\s;&|]+[ \t]+["']?([A-Za-z0-9_.][^\s"'`,;|&)]*)["'`]?[ \t]*(?:$|[;&|)"'])"#,
    )
});

/// Making folders.
static MAKES_FOLDERS: LazyLock<Regex> =
    LazyLock::new(|| expression(r#"(?:mkdir|install -d|MakeDir|md)((?:[ \t]+[^\s;&|"']+)+)"#));

/// Programs that build files declare by name.
static PROGRAMS: LazyLock<Regex> = LazyLock::new(|| {
    expression(
        r#"(?:add_executable|add_library|executable|shared_library|static_library|both_libraries|library|cc_binary|py_extension|Program|SharedLibrary|StaticLibrary|bin_PROGRAMS|TARGET|PROGRAM|PROG|NAME|BINARY|MODULE_big|PACKAGE|project|name)[ \t]*(?:\(|=|:=|\?=)\s*["']?([A-Za-z0-9_.+-]+)"#,
    )
});

pub(super) fn read(text: &[u8], said: &mut Vec<Said>) {
    let mut words = |row: &'static str, found: Captures| {
        if let Some(rest) = found.get(1) {
            for word in rest.as_bytes().fields() {
                // What is quoted in a package file ends with the quote.
                let word = word
                    .split(|byte| b"\"'`".contains(byte))
                    .find(|part| !part.is_empty());
                let Some(word) = word else { continue };
                if !word.starts_with(b"-") && !word.starts_with(b"/") {
                    said.push(Said {
                        what: word.to_vec(),
                        at: rest.start(),
                        row,
                    });
                }
            }
        }
    };
    REMOVES
        .captures_iter(text)
        .for_each(|found| words("removed", found));
    MAKES_FOLDERS
        .captures_iter(text)
        .for_each(|found| words("folder-made", found));
    for (expression, row) in [
        (&OPTIONS, "option"),
        (&GLUED, "option"),
        (&REDIRECTS, "redirected"),
        (&PACKS, "option"),
        (&COPIES, "copied"),
        (&PROGRAMS, "program"),
    ] {
        for found in expression.captures_iter(text) {
            if let Some(path) = found.get(1) {
                said.push(Said {
                    what: path.as_bytes().to_vec(),
                    at: path.start(),
                    row,
                });
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn said_by(text: &str) -> Vec<(String, &'static str)> {
        let mut said = Vec::new();
        read(text.as_bytes(), &mut said);
        let said = said.into_iter().filter(|said| said.row != "program");
        said.map(|said| (String::from_utf8(said.what).unwrap(), said.row))
            .collect()
    }

    #[test]
    fn commands_say_what_they_remove_and_write() {
        for (text, what, row) in [
            ("clean:\n\trm -rf build *.o\n", "build", "removed"),
            ("clean:\n\trm -rf build *.o\n", "*.o", "removed"),
            (r#""clean": "rimraf lib-out && tsc""#, "lib-out", "removed"),
            (r#""build": "tsc --outDir made/js""#, "made/js", "option"),
            ("gcc main.c -o gauge", "gauge", "option"),
            ("iverilog -osim.vvp top.v", "sim.vvp", "option"),
            ("python levels.py > levels.csv", "levels.csv", "redirected"),
            ("make | tee build.txt", "build.txt", "redirected"),
            (
                "pytest --junitxml=reports/unit.xml",
                "reports/unit.xml",
                "option",
            ),
            ("protoc --python_out=made a.proto", "made", "option"),
            (
                "lint --format html --output-file a.html",
                "a.html",
                "option",
            ),
            ("mkdir -p made/html", "made/html", "folder-made"),
            ("python levels.py > a.out 2> a.err", "a.err", "redirected"),
            ("tar czf tides.tar.gz docs", "tides.tar.gz", "option"),
            ("jar cf notes.jar -C classes .", "notes.jar", "option"),
            ("cp a.conf.example a.conf\n", "a.conf", "copied"),
        ] {
            let said = said_by(text);
            assert!(said.contains(&(what.to_owned(), row)), "{text}: {said:?}");
        }
    }

    #[test]
    fn what_is_no_command_says_nothing() {
        for text in [
            "> quoted words\n",
            "a -> b\n",
            "if (a => b) {}\n",
            "x.rm(y)\n",
            "cp level.h tide.h include/\n",
            "page --template page.html\n",
            "replay --profile tide.json\n",
            "try --timeout 30 --reporter ./reporter.js --layout wide.html\n",
            "format --write notes.md\n",
        ] {
            assert_eq!(said_by(text), [], "{text}");
        }
    }
}
