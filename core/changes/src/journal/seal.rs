//! By which a record is known to be this person's: a hash of it with a key that only they can read.
//!
//! Anyone who sends somebody a repository can put any record into it. One without a seal is shown,
//! and acted on only when the person names it.

#![allow(clippy::disallowed_methods, reason = "the person's own folder")]

use crate::private_folder;
use etcetera::BaseStrategy;
use redshank_files::Root;
use serde::{Deserialize, Serialize};
use serde_json::value::RawValue;
use std::io::{Result, Write};
use std::path::PathBuf;
use std::sync::LazyLock;

const FILE: &str = "journal.key";

pub(super) struct Key([u8; 32]);

/// A record with its seal.
#[derive(Serialize, Deserialize)]
struct Sealed<'a> {
    seal: Option<String>,
    #[serde(borrow)]
    record: &'a RawValue,
}

impl Key {
    /// The key of who runs the program, made when it is first asked for; none where there is no
    /// place for one.
    pub(super) fn of_person() -> Option<&'static Self> {
        KEY.0.as_ref()
    }

    /// The key in the person's own folder; where that can't keep one, in a private one among the
    /// system's temporary files. And whether it lasts.
    fn find() -> (Option<Self>, KeyPlace) {
        let own = folder()
            .ok_or_else(|| std::io::ErrorKind::NotFound.into())
            .and_then(|folder| {
                std::fs::create_dir_all(&folder)?;
                Self::read_or_made(&Root::open(&folder)?)
            });
        match own {
            Ok(key) => (Some(key), KeyPlace::Own),
            Err(_) => match temporary().and_then(|root| Self::read_or_made(&root)) {
                Ok(key) => (Some(key), KeyPlace::Temporary),
                Err(_) => (None, KeyPlace::Nowhere),
            },
        }
    }

    fn read_or_made(root: &Root) -> Result<Self> {
        for _ in 0..2 {
            if let Some(found) = root.meta_if_there(FILE.into())? {
                // A key that others could read or give proves nothing.
                let bytes = root.read(FILE.into(), 32)?;
                let key = bytes.try_into().ok().filter(|_| found.is_private);
                return key
                    .map(Self)
                    .ok_or_else(|| std::io::Error::other("it is not a key of this person's"));
            }
            let mut key = [0; 32];
            getrandom::fill(&mut key).map_err(std::io::Error::other)?;
            let scratch = format!("{FILE}.{}", std::process::id());
            let mut file = root.create(scratch.as_str().into(), 0o600)?;
            file.write_all(&key).and_then(|()| file.sync_all())?;
            // Somebody else may have made one in the same moment; theirs counts then.
            let _ = root.link(scratch.as_str().into(), (root, FILE.into()));
            root.remove_file(scratch.as_str().into())?;
        }
        Err(std::io::Error::other("the key can't be kept"))
    }

    fn seal(&self, record: &str) -> blake3::Hash {
        blake3::keyed_hash(&self.0, record.as_bytes())
    }
}

static KEY: LazyLock<(Option<Key>, KeyPlace)> = LazyLock::new(Key::find);

/// Where this person's key is kept, by which their own changes are known.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum KeyPlace {
    /// In their own folder.
    Own,
    /// Among the system's temporary files: until these are cleared.
    Temporary,
    /// Nowhere.
    Nowhere,
}

impl KeyPlace {
    /// Where it is; it is made when it is first asked for.
    pub fn find() -> Self {
        KEY.1
    }
}

fn folder() -> Option<PathBuf> {
    let base = etcetera::choose_base_strategy().ok()?;
    let folder = base.state_dir().unwrap_or_else(|| base.data_dir());
    folder.is_absolute().then(|| folder.join("redshank"))
}

fn temporary() -> Result<Root> {
    // Not where rehearsals are: what is left there is cleared.
    private_folder::open("redshank-key")?
        .ok_or_else(|| std::io::Error::other("it is somebody else's"))
}

/// The text of a record, sealed if this person has a key.
pub(super) fn sealed(record: &impl Serialize) -> serde_json::Result<Vec<u8>> {
    let record = serde_json::value::to_raw_value(record)?;
    let seal = Key::of_person().map(|key| key.seal(record.get()).to_hex().to_string());
    serde_json::to_vec(&Sealed {
        seal,
        record: &record,
    })
}

/// A record from its text, and whether its seal is this person's.
pub(super) fn opened<'a, R: Deserialize<'a>>(text: &'a [u8]) -> serde_json::Result<(R, bool)> {
    let Sealed { seal, record } = serde_json::from_slice(text)?;
    let is_own = || {
        let said = blake3::Hash::from_hex(seal.as_deref()?).ok()?;
        Some(Key::of_person()?.seal(record.get()) == said)
    };
    Ok((
        serde_json::from_str(record.get())?,
        is_own().unwrap_or(false),
    ))
}
