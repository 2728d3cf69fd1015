//! Programs that people write: the files that they save.

use super::Said;
use bstr::ByteSlice;
use regex::bytes::Regex;
use std::sync::LazyLock;

/// Calls that write a file, with a path in quotes among their first words.
#[allow(clippy::expect_used, reason = "the tests compile it")]
static WRITES: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(concat!(
        r#"(?-u)\b(?:to_csv|to_json|to_parquet|to_excel|to_html|to_pickle|to_feather|to_hdf|to_netcdf|to_zarr|to_file|to_markdown|to_latex|"#,
        r#"savefig|imsave|imwrite|save|savez|savez_compressed|savetxt|save_pretrained|save_model|save_file|saveRDS|ggsave|"#,
        r#"write_csv|write_json|write_parquet|write_html|write_image|writeLines|write\.csv|write\.table|write_file|writefile|"#,
        r#"writeFileSync|writeFile|appendFileSync|appendFile|createWriteStream|outputFile|outputFileSync|outputJson|writeJson|"#,
        r#"WriteAllText|WriteAllBytes|WriteAllLines|WriteFile|StreamWriter|FileWriter|FileOutputStream|PrintWriter|BufferedWriter|ofstream|"#,
        r#"fs::write|File::create|File\.write|File\.new|IO\.write|file_put_contents|spit|dump|export|export_\w+|mimwrite|"#,
        r#"sqlite3?\.connect|sqlite::open|Database|open_db|create_engine|FileHandler|RotatingFileHandler|basicConfig|fileConfig|"#,
        r#"h5py\.File|ZipFile|TarFile|tarfile\.open|SummaryWriter|png|pdf|svg|jpeg|bmp|tiff|sink|h5write|jldsave|Plots\.savefig|copyfile|os\.makedirs|mkdirSync|mkdir|makedirs|create_dir_all|\$dumpfile|dumpfile|set output|printto|"#,
        r#"output_file|create_in|Extraction|joblib\.Memory|screenshot|log_to|logger\.add|outputFormat|set_output|saveas|exportgraphics|xlswrite|csvwrite|dlmwrite)"#,
        r#"\s*\(?[^"'\n;{}]{0,60}["'](?:sqlite:/{2,3})?([A-Za-z0-9_.@][^"'\n]*)["']"#
    ))
    .expect("an expression of the program's own")
});

/// Opening a file to write.
#[allow(clippy::expect_used, reason = "the tests compile it")]
static OPENS: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(r#"(?-u)\b(?:open|fopen|OpenFile|File\.open|io\.open|freopen)\s*[(\[]?\s*["']([^"'\n]+)["']\s*,?\s*(?:mode\s*=\s*)?(?:["'][rb:]*[wax>]|[wax]\+?\b)"#)
        .expect("an expression of the program's own")
});

/// Methods of a path that write.
#[allow(clippy::expect_used, reason = "the tests compile it")]
static METHODS: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(r#"(?-u)["']([A-Za-z0-9_.@][^"'\n]*)["']\s*\)\s*\.(?:write_text|write_bytes|writeText|mkdir|mkpath|touch|spurt|open\(["'][wa])"#)
        .expect("an expression of the program's own")
});

/// Opening a file in Fortran, unless it must be there.
#[allow(clippy::expect_used, reason = "the tests compile it")]
static UNITS: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(r#"(?i-u)\bopen\s*\([^)\n]*?file\s*=\s*["']([^"'\n]+)["'](?:[^)\n]*?(?:unknown|new|replace|write|unformatted)[^)\n]*)?\s*\)"#)
        .expect("an expression of the program's own")
});

/// The command of MATLAB and Octave: `save -text levels.txt x`.
#[allow(clippy::expect_used, reason = "the tests compile it")]
static SAVES: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(r"(?m-u)(?:^|;)[ \t]*save[ \t]+(?:-\w+[ \t]+)*([A-Za-z0-9_./-]+\.[A-Za-z0-9]+)\b")
        .expect("an expression of the program's own")
});

pub(super) fn read(text: &[u8], said: &mut Vec<Said>) {
    // A build script writes below Cargo's own folder of output, but for paths that it gives whole
    // (doc.rust-lang.org/cargo, "Build Scripts").
    let is_elsewhere = text.contains_str("OUT_DIR");
    for expression in [&WRITES, &OPENS, &UNITS, &METHODS, &SAVES] {
        for found in expression.captures_iter(text) {
            let path = found.get(1);
            if let Some(path) = path.filter(|path| !is_elsewhere || path.as_bytes().contains(&b'/'))
            {
                // In a notebook, quotes are escaped.
                let what = path.as_bytes().trim_end_with(|sign| sign == '\\');
                said.push(Said {
                    what: what.to_vec(),
                    at: path.start(),
                    row: "written",
                });
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn calls_that_write_name_what_is_made() {
        let said_by = |text: &str| {
            let mut said = Vec::new();
            read(text.as_bytes(), &mut said);
            let paths = said.into_iter().map(|said| said.what);
            paths
                .map(|path| String::from_utf8(path).unwrap())
                .collect::<Vec<_>>()
        };
        assert_eq!(said_by("levels.to_csv('levels.csv')"), ["levels.csv"]);
        assert_eq!(said_by("with open(\"a.txt\", 'w') as f:"), ["a.txt"]);
        assert_eq!(said_by(r#""p.savefig(\"levels.png\")""#), ["levels.png"]);
        assert_eq!(said_by("Extraction \"add.ml\" add."), ["add.ml"]);
        assert_eq!(said_by("fs::write(\"made.bin\", x)?"), ["made.bin"]);
        assert_eq!(said_by("$dumpfile(\"wave.vcd\");"), ["wave.vcd"]);
        assert_eq!(said_by("sqlite3.connect('gauge.db')"), ["gauge.db"]);
        assert_eq!(said_by("set f [open \"trace.txt\" w]"), ["trace.txt"]);
        assert_eq!(said_by("Path('made.txt').write_text('x')"), ["made.txt"]);
        assert_eq!(said_by("open(unit=7, file='results.txt')"), ["results.txt"]);
        assert_eq!(
            said_by("open(unit=7, file='in.txt', status='old')"),
            [""; 0]
        );
        assert_eq!(
            said_by("x=1; save -text levels.txt x;\nsave a.mat"),
            ["levels.txt", "a.mat"]
        );
        assert_eq!(said_by("read_csv('levels.csv')"), [""; 0]);
        assert_eq!(said_by("with open('levels.csv') as f:"), [""; 0]);
    }
}
