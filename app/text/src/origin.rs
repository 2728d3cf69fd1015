//! Where a file comes from, and by what evidence, in words.

use crate::{count, shown};
use bstr::ByteSlice;
use redshank_origin::{Detail, Evidence, Judgement, Origin, Strength, Witness};

/// The origin of a file, and how sure it is.
pub fn origin(judgement: &Judgement) -> String {
    let word = judgement.origin.word();
    match judgement.strength {
        None => "of unknown origin".to_owned(),
        Some(Strength::Hint) => format!("perhaps {word}"),
        Some(Strength::Likely) => format!("likely {word}"),
        Some(Strength::Strong | Strength::Certain) => word.to_owned(),
    }
}

/// What speaks for the origin, the weightiest first, in one line.
pub fn because(judgement: &Judgement) -> String {
    let is_made = judgement.origin.is_made();
    let said = judgement
        .evidence
        .iter()
        .filter(|one| match judgement.origin {
            Origin::Unknown => one.weight.0.abs() >= WORTH_NAMING,
            _ => (one.weight.0 > 0) == is_made && one.weight.0 != 0,
        })
        .take(NAMED);
    said.map(origin_evidence).collect::<Vec<_>>().join("; ")
}

/// Where a file comes from, in a line, and what speaks against it, in another.
pub fn origin_lines(judgement: &Judgement) -> String {
    let because = because(judgement);
    let because = if because.is_empty() {
        "nothing here says where it comes from".to_owned()
    } else {
        because
    };
    let mut text = format!("    {}: {because}\n", origin(judgement));
    let is_made = judgement.origin.is_made();
    let against = judgement.evidence.iter().find(|one| {
        judgement.origin != Origin::Unknown && one.weight.0 != 0 && (one.weight.0 > 0) != is_made
    });
    if let Some(against) = against {
        text += &format!("    against it: {}\n", origin_evidence(against));
    }
    text
}

/// Where nothing is known, what weighs less isn't named, in decibans.
const WORTH_NAMING: i32 = 5;

/// So much evidence is named at most.
const NAMED: usize = 2;

/// What a piece of evidence says.
pub fn origin_evidence(evidence: &Evidence) -> String {
    match (&evidence.detail, evidence.witness) {
        (Detail::Said(said), _) => (*said).to_owned(),
        (Detail::Template { name, reason }, _) if name.is_empty() => reason.clone(),
        (Detail::Template { name, reason }, _) => format!("{reason} (template {name})"),
        (Detail::NamedBy { file, .. }, Witness::Referenced) if evidence.weight.0 > 0 => {
            format!("{}, which a tool made, links to it", shown(file))
        }
        (Detail::NamedBy { file, .. }, Witness::Referenced) => {
            format!("{} refers to it", shown(file))
        }
        (Detail::NamedBy { file, line }, _) => {
            format!("{}:{line} {}", shown(file), declared(evidence.row))
        }
        (Detail::MadeOf(source), _) if evidence.row == "copy" => {
            format!("a copy of {}", shown(source))
        }
        (Detail::MadeOf(source), _) => format!("made from {}", shown(source)),
        (Detail::MadeBy(command), _) => format!(
            "`{}` made it again in a clone without it",
            shown(command.as_str().into())
        ),
        (Detail::Folder(_), Witness::Neighbours) => "what is beside it is authored".to_owned(),
        (Detail::Folder(name), _) => format!("in a folder called `{}`", shown(name.as_bstr())),
        (Detail::Extension(ending), _) if evidence.weight.0 < 0 => {
            format!("people write `.{ending}` files")
        }
        (Detail::Extension(ending), _) => {
            format!("tools write `.{ending}` files")
        }
        (Detail::Name, _) => "its name".to_owned(),
        (Detail::Neighbours { folder, made }, _) => format!(
            "{} other files in {} are made, and none is authored",
            count(*made),
            shown(folder)
        ),
    }
}

/// What a text of the project does with a file that it names.
fn declared(row: &str) -> &'static str {
    match row {
        "removed" => "removes it",
        "option" | "setting" => "names it as an output",
        "redirected" | "written" => "writes it",
        "target" => "makes it",
        "program" => "builds a program of that name",
        "folder-made" => "makes the folder",
        _ => "names it",
    }
}
