//! Paths made from a pattern: with them one rule is tried against what another one is for.

use crate::{Case, Rule};
use bstr::{BStr, BString, ByteVec};

/// What is where a pattern leaves the name open: nobody's rule names it.
const OPEN: [&str; 2] = ["q7zv", "w8yk"];

/// No pattern gives more paths than this.
const MOST: usize = 16;

impl Rule {
    /// Paths that this rule matches, with names in them that nobody chose where it leaves them
    /// open: what ignores all of these ignores, but for contrived rules, all that this one
    /// does. A folder's path ends in a slash. None where no such paths are easily made.
    ///
    /// ```
    /// use redshank_rules::{Case, Rule};
    /// let paths = Rule::parse(b"/Logs/", 1, Case::Sensitive).probes();
    /// assert_eq!(paths, ["Logs/"]);
    /// let paths = Rule::parse(b"*.py[co]", 1, Case::Sensitive).probes();
    /// assert!(paths.contains(&"q7zv.pyo".into()) && paths.contains(&"q7zv/w8yk.pyc".into()));
    /// ```
    pub fn probes(&self) -> Vec<BString> {
        let body = self.text.strip_prefix(b"!").unwrap_or(&self.text);
        let body = body.strip_suffix(b"/").unwrap_or(body);
        let body = body.strip_prefix(b"/").unwrap_or(body);
        let deeper = [OPEN[0].as_bytes(), b"/"].concat();
        let starts: &[&[u8]] = if self.anchored {
            &[b""]
        } else {
            &[b"", &deeper]
        };
        let mut paths = Vec::new();
        for start in starts {
            let name = OPEN[usize::from(!start.is_empty())];
            let Some(bodies) = opened(body, name) else {
                return Vec::new();
            };
            for body in bodies {
                let path: BString = [start, body.as_slice()].concat().into();
                paths.extend((!self.folders_only).then(|| path.clone()));
                paths.push([path.as_slice(), b"/"].concat().into());
            }
        }
        let own = Self::parse(&self.text, self.line, Case::Sensitive);
        if paths.len() <= MOST
            && paths.iter().all(|path| {
                let bare = path.strip_suffix(b"/").unwrap_or(path);
                own.matches(BStr::new(bare), bare.len() < path.len())
            })
        {
            paths
        } else {
            Vec::new()
        }
    }
}

/// The texts that come of a pattern when `name` stands where it leaves a name open.
fn opened(body: &[u8], name: &str) -> Option<Vec<BString>> {
    let mut texts = vec![BString::default()];
    let mut rest = body;
    while let Some((&byte, behind)) = rest.split_first() {
        rest = behind;
        let choices: Vec<Vec<u8>> = match byte {
            b'*' if rest.starts_with(b"*/") => {
                rest = &rest[2..];
                vec![Vec::new(), format!("{name}/").into()]
            }
            b'*' => {
                rest = rest.strip_prefix(b"*").unwrap_or(rest);
                vec![name.into()]
            }
            b'?' => vec![b"q".to_vec()],
            b'\\' => {
                let (&byte, behind) = rest.split_first()?;
                rest = behind;
                vec![vec![byte]]
            }
            b'[' => {
                let end = rest.iter().position(|byte| *byte == b']')?;
                let class = &rest[..end];
                rest = &rest[end + 1..];
                if class.iter().any(|byte| b"-^![\\:".contains(byte)) {
                    return None;
                }
                class.iter().map(|byte| vec![*byte]).collect()
            }
            byte => vec![vec![byte]],
        };
        let longer = texts.iter().flat_map(|text| {
            choices.iter().map(move |choice| {
                let mut text = text.clone();
                text.push_str(choice);
                text
            })
        });
        texts = longer.collect();
        if texts.len() > MOST {
            return None;
        }
    }
    Some(texts)
}
