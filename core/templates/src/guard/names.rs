//! What names tell: of a rule, whether people use them as well; of a file, whether it is a source,
//! test data, or something that a tool makes.

use bstr::BStr;
use redshank_worktree::RepoPath;

/// Names that a tool alone gives.
const ONLY_TOOLS: &[&str] = &[
    "node_modules",
    "bower_components",
    "jspm_packages",
    "elm-stuff",
    "CMakeFiles",
    "CMakeCache.txt",
    "cmake_install.cmake",
    "CTestTestfile.cmake",
    "DerivedData",
    "DerivedDataCache",
    "Pods",
    "dbt_packages",
    "Thumbs.db",
    "ehthumbs.db",
    "desktop.ini",
    "Desktop.ini",
    "npm-debug.log*",
    "yarn-error.log*",
    "yarn-debug.log*",
    "lerna-debug.log*",
    "erl_crash.dump",
    "celerybeat-schedule*",
    "cmake-build-*",
    "xcuserdata",
    "autom4te.cache",
    "bazel-*",
    "zig-out",
    "zig-cache",
    "nosetests.xml",
    "cdk.out",
    "storybook-static",
    "playwright-report",
    "playwright",
    "blob-report",
    "htmlcov",
    "jacoco.exec",
    "hs_err_pid*.log",
    "replay_pid*.log",
    "local.properties",
    "instance",
    "solr-webapp",
    "gradle-app.setting",
    "pip-wheel-metadata",
    "pip-log.txt",
    "rusty-tags.vi",
    "tarpaulin-report.html",
];

/// File types that a tool alone writes.
const ONLY_MADE: &[&str] = &[
    "pyc",
    "pyo",
    "py[co]",
    "py[cod]",
    "class",
    "o",
    "lo",
    "la",
    "swp",
    "swo",
    "sw[op]",
    "tsbuildinfo",
    "beam",
    "gcda",
    "gcno",
    "gcov",
    "profraw",
    "profdata",
    "cmi",
    "cmo",
    "cmx",
    "cmxa",
    "cmxs",
    "cmt",
    "cmti",
    "hi",
    "dyn_hi",
    "dyn_o",
    "elc",
    "luac",
    "fasl",
    "ppu",
    "qlf",
    "ilk",
    "pch",
    "gch",
    "idb",
    "obj.d",
    "egg-info",
    "dSYM",
    "d.ts.map",
    "aux",
    "fls",
    "fdb_latexmk",
    "synctex.gz",
    "xcuserstate",
    "userosscache",
    "suo",
    "DotSettings.user",
    "code-snippets-cache",
];

/// Whether only a tool gives such a name as a rule asks for.
pub(crate) fn is_unmistakable(pattern: &str) -> bool {
    let body = pattern
        .trim_start_matches('!')
        .trim_matches('/')
        .trim_start_matches("**/");
    let is_own = |part: &str| part.len() > 1 && part.starts_with(['.', '_']) && part != "..";
    let named = body.trim_end_matches("/*").trim_end_matches("/**");
    if named
        .split('/')
        .any(|part| is_own(part) || ONLY_TOOLS.contains(&part))
    {
        return true;
    }
    let name = named.rsplit('/').next().unwrap_or(named);
    let made = name
        .strip_prefix("*.")
        .is_some_and(|kind| ONLY_MADE.contains(&kind));
    made || name.starts_with("*.") && (name.contains(".cpython-") || name.ends_with(".abi3.so"))
}

/// Folders of data that tests read, and their own copies of what tools make.
pub(super) fn is_test_data(path: &RepoPath) -> bool {
    let folders = path.folders_above().map(RepoPath::name);
    folders.into_iter().any(is_data_name)
}

fn is_data_name(name: &BStr) -> bool {
    let names = [
        "fixtures",
        "fixture",
        "__fixtures__",
        "testdata",
        "test_data",
        "test-data",
        "golden",
        "goldens",
    ];
    names.iter().any(|known| name == known)
        || name.ends_with(b"_fixtures")
        || name.ends_with(b"-fixtures")
}

/// Folders of tests and of what is built in as it is.
pub(super) fn is_test_place(path: &RepoPath) -> bool {
    let mut folders = path.folders_above().map(RepoPath::name);
    folders.any(|name| {
        let names = [
            "test",
            "tests",
            "spec",
            "specs",
            "assets",
            "resources",
            "t",
            "__tests__",
        ];
        names.iter().any(|known| name == known) || is_data_name(name)
    })
}

/// Libraries in folders where people put what they did not build.
pub(super) fn is_work_place(path: &RepoPath) -> bool {
    let ends = [
        ".jar", ".so", ".a", ".dll", ".dylib", ".lib", ".aar", ".db", ".sqlite", ".sqlite3", ".exe",
    ];
    let is_library = ends.iter().any(|end| path.name().ends_with(end.as_bytes()));
    let mut folders = path.folders_above().map(RepoPath::name);
    let names = [
        "lib",
        "libs",
        "vendor",
        "third_party",
        "third-party",
        "thirdparty",
        "external",
        "deps",
        "prebuilt",
        "jniLibs",
        "native",
        "wrapper",
    ];
    is_library && folders.any(|name| names.iter().any(|known| name == known))
}

/// Whether a file in a folder that a tool may have made is of a language that people write. What
/// bundlers and page builders write is not taken for that.
pub(super) fn is_source(path: &RepoPath, folder: &RepoPath) -> bool {
    let Some(kind) = path.extension() else {
        let names = [
            "Makefile",
            "Dockerfile",
            "Rakefile",
            "Gemfile",
            "Jenkinsfile",
        ];
        return names.iter().any(|name| path.name() == name) && !is_output_name(folder.name());
    };
    let is_of = |kinds: &[&str]| kinds.iter().any(|known| kind[1..] == known.as_bytes());
    if path.name().ends_with(b".d.ts") || path.name().ends_with(b".min.js") {
        return false;
    }
    is_of(WRITTEN) || !is_output_name(folder.name()) && is_of(WRITTEN_OR_BUNDLED)
}

/// Whether a file is of a language that people write and no page or report is made of.
pub(super) fn is_written(path: &RepoPath) -> bool {
    let kind = path.extension().map(|kind| &kind[1..]);
    kind.is_some_and(|kind| WRITTEN.iter().any(|known| kind == known.as_bytes()))
}

const WRITTEN: &[&str] = &[
    "rs", "go", "c", "h", "cc", "cpp", "cxx", "hpp", "hh", "m", "mm", "swift", "java", "kt", "kts",
    "scala", "groovy", "py", "pyx", "rb", "php", "pl", "pm", "lua", "ex", "exs", "erl", "hrl",
    "hs", "ml", "mli", "cs", "fs", "vb", "ts", "tsx", "jsx", "vue", "svelte", "astro", "dart",
    "jl", "r", "R", "nim", "zig", "cr", "d", "f90", "f95", "for", "clj", "cljs", "elm", "purs",
    "sql", "proto", "graphql", "tf", "sh", "ps1", "bat", "tex", "adb", "ads", "v", "sv", "vhd",
    "vhdl", "cob", "cbl", "pas", "scm", "rkt", "lisp", "sol", "gd", "hx", "cmake", "ipynb",
    "coffee", "sass", "scss", "less",
];

const WRITTEN_OR_BUNDLED: &[&str] = &["js", "mjs", "cjs", "css", "html", "htm", "md", "rst"];

/// Names that people and tools give to folders of what is made.
fn is_output_name(name: &BStr) -> bool {
    let names = [
        "dist",
        "build",
        "out",
        "output",
        "public",
        "site",
        "www",
        "coverage",
        "html",
        "export",
        "release",
        "staticfiles",
        "target",
        "bin",
        "obj",
        "_site",
        "_build",
        "docs",
        "reports",
        "report",
        "pkg",
        "generated",
        "artifacts",
        "esm",
        "cjs",
        "umd",
        "es",
        "api",
        "logs",
        "log",
        "tmp",
        "temp",
        "cache",
    ];
    names.iter().any(|known| name == known)
}

/// Files that a tool alone puts into the folder that it makes; `below` is their path in it.
pub(super) fn is_made_by_name(below: &RepoPath, folder: &RepoPath) -> bool {
    let name = below.name();
    let parts = || below.folders_above().map(RepoPath::name);
    let is_kind = |kinds: &[&str]| {
        below
            .extension()
            .is_some_and(|kind| kinds.iter().any(|known| kind[1..] == known.as_bytes()))
    };
    let files = [
        "CACHEDIR.TAG",
        "CMakeCache.txt",
        "build.ninja",
        ".ninja_log",
        "pyvenv.cfg",
        ".rustc_info.json",
        "asset-manifest.json",
        "objects.inv",
        ".buildinfo",
        "searchindex.js",
        "autoload.php",
        "installed.json",
        "Manifest.lock",
        "ArtifactDB",
        "hex_metadata.config",
        ".hex",
        ".fetch",
        "sitemap.xml",
        "manifest.webmanifest",
        "coredata.dat",
        "MANIFEST.MF",
        ".tsbuildinfo",
        "output.bin",
        "BUILD_ID",
        "lcov.info",
        "clover.xml",
        "stats.json",
        "LastBuild.log",
        "config.status",
    ];
    let folders = [
        "CMakeFiles",
        "site-packages",
        "gems",
        "specifications",
        "intermediates",
        "classes",
        ".cache",
        "_next",
        "meson-private",
        "PackageCache",
        "node_modules",
        "__pycache__",
        "doctrees",
        ".doctrees",
        "Target Support Files",
        "incremental",
        "deps.json",
        "lcov-report",
        "TestResults",
    ];
    let of_machine = [
        "class",
        "o",
        "obj",
        "lo",
        "la",
        "pyc",
        "whl",
        "beam",
        "map",
        "hi",
        "cmi",
        "cmo",
        "cmx",
        "pdb",
        "ilk",
        "nupkg",
        "doctree",
        "gcno",
        "gcda",
        "tsbuildinfo",
        "elf",
        "hex",
        "pickle",
        "war",
        "exe",
        "apk",
        "aab",
        "ipa",
    ];
    let built_here = ["so", "a", "dll", "dylib", "lib", "jar"];
    files.iter().any(|known| name == known)
        || parts().any(|part| folders.iter().any(|known| part == known))
        || is_kind(&of_machine)
        || name.ends_with(b".min.js")
        || name.ends_with(b".d.ts") && is_output_name(folder.name())
        || is_kind(&built_here) && is_output_name(folder.name())
        || is_hashed(name)
}

/// Bundlers put a hash of a file's contents into its name: `index-BkF3x9Qa.js`,
/// `main.51c6dc62.js`.
fn is_hashed(name: &BStr) -> bool {
    let parts: Vec<&[u8]> = name
        .split(|byte| matches!(byte, b'.' | b'-' | b'_'))
        .collect();
    let [middle @ .., _] = parts.as_slice() else {
        return false;
    };
    let is_hash = |part: &&[u8]| {
        let is_hex = part.iter().all(|byte| byte.is_ascii_hexdigit());
        let digits = part.iter().filter(|byte| byte.is_ascii_digit()).count();
        let upper = part.iter().filter(|byte| byte.is_ascii_uppercase()).count();
        part.len() >= 8
            && part.iter().all(u8::is_ascii_alphanumeric)
            && (is_hex && digits > 0 && digits < part.len() || digits > 0 && upper > 1)
    };
    middle.iter().skip(1).any(|part| is_hash(part))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_tell_tools_from_people() {
        for pattern in [
            "node_modules/",
            "**/.vscode/*",
            "*.pyc",
            "/_build/",
            "!.env.example",
            "/.next/",
            "*.cpython-*.so",
        ] {
            assert!(is_unmistakable(pattern), "{pattern}");
        }
        for pattern in [
            "/build/", "*.log", "media/", "/lib/", "*.so", "/*.tgz", "bin/", "*.mo",
        ] {
            assert!(!is_unmistakable(pattern), "{pattern}");
        }
        for name in [
            "index-BkF3x9Qa.js",
            "main.51c6dc62.js",
            "2.96e8bec8.chunk.css",
        ] {
            assert!(is_hashed(name.into()), "{name}");
        }
        for name in [
            "index.js",
            "test_harmonics.py",
            "20260325-readings.csv",
            "a-performance.js",
            "0001_initial.py",
        ] {
            assert!(!is_hashed(name.into()), "{name}");
        }
        let made = |path: &str| is_made_by_name(path.into(), "web/dist/".into());
        assert!(made("CMakeFiles/3.25/x.c") && made("lib/x.o") && made("x.so"));
        assert!(!made("models.py") && !made("index.html"));
    }
}
