//! A sample in the place of an environment file: the same keys, comments and order, and no values,
//! so that a colleague knows what to fill in.

use bstr::ByteSlice;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_secrets::masked;

/// What the sample of a file is called.
pub fn name(path: &RepoPath) -> RepoPathBuf {
    [path.as_bytes(), b".example"].concat().into()
}

/// The suffixes that make a file a sample of the one before them.
const SUFFIXES: [&str; 4] = [".example", ".sample", ".template", ".dist"];

/// Whether one of these paths is a sample of that file already, by its name: `.env.example` of
/// `.env` and `.env.local`.
pub(crate) fn has_one(path: &RepoPath, exists: &dyn Fn(&RepoPath) -> bool) -> bool {
    let name_at = path.name_at();
    let stems = path[name_at..]
        .find_iter(".")
        .filter(|dot| *dot > 0)
        .map(|dot| name_at + dot)
        .chain([path.len()]);
    let mut stems = stems.map(|end| &path[..end]);
    stems.any(|stem| {
        SUFFIXES
            .iter()
            .any(|suffix| exists(RepoPath::new(&[stem, suffix.as_bytes()].concat())))
    })
}

/// A sample, made from what was understood of a file.
#[derive(Debug, PartialEq, Eq)]
pub struct Sample {
    /// Contents of the sample, without values.
    pub text: Vec<u8>,
    /// How many lines were left out, for they could not be read, or could tell a value.
    pub left_out: usize,
}

/// The sample of an environment file's text; nothing if it assigns nothing.
///
/// It is made key by key from what was read, never by taking values out of the text: what isn't an
/// assignment, an empty line or a comment in words is left out.
pub fn sample(text: &[u8]) -> Option<Sample> {
    // Each with whether it is an assignment.
    let mut lines: Vec<(Vec<u8>, bool)> = Vec::new();
    let mut values: Vec<&[u8]> = Vec::new();
    let mut left_out = 0;
    let mut open = Open::Nothing;
    for line in text.lines_with_terminator() {
        let end: &[u8] = if line.ends_with(b"\r\n") {
            b"\r\n"
        } else if line.ends_with(b"\n") {
            b"\n"
        } else {
            b""
        };
        let bare = &line[..line.len() - end.len()];
        if open.goes_on_in(bare) {
            left_out += usize::from(open == Open::Lost);
            values.push(bare.trim());
            continue;
        }
        open = Open::Nothing;
        let (kept, assigns) = match (Read::line(bare), bare.trim()) {
            (Read::Nothing, _) => (Vec::new(), false),
            (Read::Comment, comment) => {
                let words = in_words(comment);
                left_out += usize::from(words.len() < comment.len());
                (words.to_vec(), false)
            }
            (Read::Assignment { key, value }, _) => {
                values.push(value.trim());
                open = Open::behind(value);
                (key.to_vec(), true)
            }
            (Read::Unknown, unknown) => {
                left_out += 1;
                values.push(unknown);
                open = Open::Lost;
                continue;
            }
        };
        lines.push(([kept.as_slice(), end].concat(), assigns));
    }
    let told = |line: &[u8]| tells_a_value(line, &values);
    left_out += lines.iter().filter(|(line, _)| told(line)).count();
    lines.retain(|(line, _)| !told(line));
    let assigns = lines.iter().any(|(_, assigns)| *assigns);
    let text: Vec<Vec<u8>> = lines.into_iter().map(|(line, _)| line).collect();
    assigns.then(|| Sample {
        text: text.concat(),
        left_out,
    })
}

/// What a line is.
enum Read<'l> {
    Nothing,
    Comment,
    /// A key, with all before it and the equals sign, and its value.
    Assignment {
        key: &'l [u8],
        value: &'l [u8],
    },
    /// Anything else; it may be a part of a value.
    Unknown,
}

impl<'l> Read<'l> {
    fn line(line: &'l [u8]) -> Self {
        if line.trim().is_empty() {
            return Self::Nothing;
        }
        if line.trim_start().starts_with(b"#") {
            return Self::Comment;
        }
        let Some(equals) = line.find_byte(b'=') else {
            return Self::Unknown;
        };
        let (key, value) = line.split_at(equals + 1);
        let name = key[..equals].trim();
        let name = name.strip_prefix(b"export ").unwrap_or(name).trim();
        // The end of something in base64 looks like a key, too.
        if is_name(name) && !value.starts_with(b"=") {
            Self::Assignment { key, value }
        } else {
            Self::Unknown
        }
    }
}

/// The longest name of a variable, and the longest part of one, in bytes.
const LONGEST_NAME: usize = 80;
const LONGEST_PART: usize = 24;

/// Whether that is a name as people write them: `UPLINK_URL`, `uplink.url`, `uplink-url`,
/// `uplinkUrl`. What is written in letters of both kinds and digits without a pattern is more
/// likely a part of a value.
fn is_name(name: &[u8]) -> bool {
    let starts = name
        .first()
        .is_some_and(|first| first.is_ascii_alphabetic() || *first == b'_');
    let is_part = |part: &[u8]| {
        let upper = part
            .iter()
            .all(|byte| byte.is_ascii_uppercase() || byte.is_ascii_digit());
        let lower = part
            .iter()
            .all(|byte| byte.is_ascii_lowercase() || byte.is_ascii_digit());
        // A capital starts a word, and a word has more than a letter.
        let camel = part.iter().all(u8::is_ascii_alphabetic)
            && part
                .windows(2)
                .all(|pair| !(pair[0].is_ascii_uppercase() && pair[1].is_ascii_uppercase()))
            && part.last().is_some_and(u8::is_ascii_lowercase);
        part.len() <= LONGEST_PART && (upper || lower || camel)
    };
    starts && name.len() <= LONGEST_NAME && name.split(|byte| b"_.-".contains(byte)).all(is_part)
}

/// What a value of several lines waits for.
#[derive(PartialEq, Eq)]
enum Open {
    Nothing,
    Quote(u8),
    /// A line with this word (a here-document of the shell).
    Word(Vec<u8>),
    /// The next line (a back-slash at the end).
    NextLine,
    /// A closing bracket of the shell's list.
    Bracket,
    /// Nobody knows; an empty line or a plain assignment ends it.
    Lost,
}

impl Open {
    /// What the value of an assignment leaves open.
    fn behind(value: &[u8]) -> Self {
        let value = value.trim();
        if let Some(word) = value
            .split_once_str("<<")
            .map(|(_, word)| word.trim_start_with(|c| c == '-' || c == ' '))
        {
            let word = word
                .split(|byte| byte.is_ascii_whitespace() || b")`;|".contains(byte))
                .next()
                .unwrap_or_default();
            let word = word.trim_with(|c| "'\"\\".contains(c));
            return if word.is_empty() {
                Self::Lost
            } else {
                Self::Word(word.to_vec())
            };
        }
        match value.first() {
            Some(quote @ (b'"' | b'\'' | b'`')) => match closed(&value[1..], *quote) {
                None => Self::Quote(*quote),
                // Behind a value only a comment stands; anything else was not closed where it
                // seemed to be.
                Some(rest) if rest.trim().is_empty() || rest.trim_start().starts_with(b"#") => {
                    Self::Nothing
                }
                Some(_) => Self::Lost,
            },
            Some(b'(') if !value.contains(&b')') => Self::Bracket,
            _ if value.ends_with(b"\\") => Self::NextLine,
            _ => Self::Nothing,
        }
    }

    /// Whether a line is still a part of the value, and what is open behind it.
    fn goes_on_in(&mut self, line: &[u8]) -> bool {
        match self {
            Self::Nothing => return false,
            Self::Quote(quote) => match closed(line, *quote) {
                None => {}
                Some(rest) if rest.trim().is_empty() || rest.trim_start().starts_with(b"#") => {
                    *self = Self::Nothing;
                }
                Some(_) => *self = Self::Lost,
            },
            Self::Word(word) => {
                if line.trim() == word.as_slice() {
                    // What closes the command around it may be on a line of its own.
                    *self = Self::Lost;
                }
            }
            Self::NextLine => {
                if !line.ends_with(b"\\") {
                    *self = Self::Nothing;
                }
            }
            Self::Bracket => {
                if line.contains(&b')') {
                    *self = Self::Nothing;
                }
            }
            Self::Lost => {
                let is_plain = |key: &[u8], value: &[u8]| {
                    let name = key[..key.len() - 1].trim();
                    let name = name.strip_prefix(b"export ").unwrap_or(name).trim();
                    name.iter().all(|byte| {
                        byte.is_ascii_uppercase() || byte.is_ascii_digit() || *byte == b'_'
                    }) && (name.contains(&b'_') || !value.trim().is_empty())
                };
                return match Read::line(line) {
                    Read::Nothing => false,
                    Read::Assignment { key, value } => !is_plain(key, value),
                    Read::Comment | Read::Unknown => true,
                };
            }
        }
        true
    }
}

/// What is behind the quote that closes a value; nothing if none does. A back-slash before it
/// means the quote itself.
fn closed(text: &[u8], quote: u8) -> Option<&[u8]> {
    let mut at = 0;
    while at < text.len() {
        match text[at] {
            b'\\' => at += 2,
            byte if byte == quote => return Some(&text[at + 1..]),
            _ => at += 1,
        }
    }
    None
}

/// Words in a comment behind which a value may be.
const SPEAKS_OF: [&str; 10] = [
    "pass",
    "pwd",
    "secret",
    "token",
    "key",
    "credential",
    "login",
    "auth",
    "user",
    "account",
];

/// The longest word that is taken for one, in bytes.
const LONGEST_WORD: usize = 20;

/// A comment up to where it may tell a value, such as one that was used once.
fn in_words(comment: &[u8]) -> &[u8] {
    let mut at = comment.len()
        - comment
            .trim_start_with(|c| c == '#' || c == ' ' || c == '\t')
            .len();
    while at < comment.len() {
        let length = comment[at..]
            .iter()
            .position(|byte| byte.is_ascii_whitespace())
            .unwrap_or(comment.len() - at);
        let word = &comment[at..at + length];
        if let Some(equals) = word.find_byte(b'=') {
            // A key that is commented out stays, its value doesn't.
            let upto = if is_name(&word[..equals]) {
                at + equals + 1
            } else {
                at
            };
            return comment[..upto].trim_end();
        }
        let bare = word.trim_with(|c| c.is_ascii_punctuation());
        let has = |kind: fn(&u8) -> bool| bare.iter().any(kind);
        let mixed = has(u8::is_ascii_digit) && (has(u8::is_ascii_alphabetic) || bare.len() > 4);
        let plain = bare
            .iter()
            .all(|byte| byte.is_ascii_alphanumeric() || b"-'./".contains(byte) || !byte.is_ascii());
        if !plain || mixed || bare.len() > LONGEST_WORD || word.starts_with(b"/") {
            return comment[..at].trim_end();
        }
        let lower = word.to_ascii_lowercase();
        if SPEAKS_OF.iter().any(|secret| lower.contains_str(secret)) {
            return &comment[..at + length];
        }
        at += length;
        at += comment[at..]
            .iter()
            .take_while(|byte| byte.is_ascii_whitespace())
            .count();
    }
    comment
}

/// The shortest value, or part of one, that is looked for in a sample, in bytes.
const SHORTEST_VALUE: usize = 8;

/// Whether a line of a sample holds a credential by our own finders, or a value of the file that is
/// more than a word.
fn tells_a_value(line: &[u8], values: &[&[u8]]) -> bool {
    let parts = values
        .iter()
        .flat_map(|value| value.split(|byte| b"\"'` \t,;".contains(byte)));
    let mut parts = parts.filter(|part| {
        part.len() >= SHORTEST_VALUE && !part.iter().all(|byte| byte.is_ascii_lowercase())
    });
    let text = line.to_str_lossy();
    masked(&text) != text || parts.any(|part| line.contains_str(part))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn text_of_sample(text: &str) -> String {
        sample(text.as_bytes())
            .map(|sample| String::from_utf8(sample.text).unwrap())
            .unwrap_or_default()
    }

    #[test]
    fn keys_comments_and_order_stay_and_values_go() {
        let text = "# the gateway\n# old password: tide\nexport URL=http://x\nKEY = \"a\nb=2\nc\" \n\n#OLD=gone\nPORT=1 # at home\r\nstray\n\nLAST='x'";
        let wanted =
            "# the gateway\n# old password:\nexport URL=\nKEY =\n\n#OLD=\nPORT=\r\n\nLAST=";
        let made = sample(text.as_bytes()).unwrap();
        assert_eq!((made.text.as_bstr(), made.left_out), (wanted.into(), 3));
        assert_eq!(sample(b"# nothing\n\n"), None);
    }

    /// Ways in which values are in such files, each with what may stay.
    #[test]
    fn no_value_stays_however_it_is_written() {
        for (text, wanted) in [
            // A connection string in a comment, with and without a key.
            ("# was postgres://nia:tideline@db/x\nA=1\n", "# was\nA=\n"),
            (
                "#DB_URL=postgres://nia:tideline@db/x\nA=1\n",
                "#DB_URL=\nA=\n",
            ),
            ("# the password is hightide\nA=1\n", "# the password\nA=\n"),
            ("# nia@tides.example ab12cd34\nA=1\n", "#\nA=\n"),
            // base64 over several lines, without quotes.
            (
                "CERT=MIIEvQIBADANBgkq\naGVsbG8gd29ybGQh\ndGlkZQ==\nQUJD=\n\nB=2\n",
                "CERT=\n\nB=\n",
            ),
            (
                "CERT=MIIEvQIBADANBgkq\naGVsbG8=\nNEXT_ONE=1\n",
                "CERT=\nNEXT_ONE=\n",
            ),
            // A quote that is not the end.
            ("A=\"one \\\" two\nTHREE=four\"\nB=1\n", "A=\nB=\n"),
            ("A='one\\'\nTWO=three'\nB_C=1\n", "A=\nB_C=\n"),
            ("A=\"one\" \"two\nTHREE=four\n\nB=1\n", "A=\nTHREE=\n\nB=\n"),
            // A here-document, a list, a line that goes on.
            (
                "A=$(cat <<'EOF'\nSECRET=four\nEOF\n)\n\nB=1\n",
                "A=\n\nB=\n",
            ),
            ("A=(one\nTWO=three\n)\nB=1\n", "A=\nB=\n"),
            ("A=one\\\nTWO=three\nB=1\n", "A=\nB=\n"),
            ("A=`one\nTWO=three`\nB=1\n", "A=\nB=\n"),
        ] {
            assert_eq!(text_of_sample(text), wanted, "{text}");
        }
    }

    #[test]
    fn a_sample_by_any_usual_name_is_known() {
        let there = |path: &RepoPath| path == "web/.env.sample";
        assert!(has_one("web/.env".into(), &there) && has_one("web/.env.local".into(), &there));
        assert!(!has_one("api/.env".into(), &there));
        assert_eq!(name("web/.env".into()), "web/.env.example");
    }

    proptest! {
        #[test]
        fn no_value_comes_through(
            key in "[A-Z_]{1,8}",
            value in "[a-z0-9\"' =#$]{6,20}",
            before in "[ #\n]{0,3}",
            more in "[A-Za-z0-9+/]{12,40}={0,2}",
        ) {
            let made = text_of_sample(&format!("{before}{key}={value}\n{more}\n\nLAST=1\n"));
            prop_assert!(!made.contains(&value) && !made.contains(&more), "{made}");
        }
    }
}
