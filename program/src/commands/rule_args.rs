//! The options that say which file of rules is meant.

use crate::context::Context;
use anyhow::{Result, bail};
use clap::{Args, ValueEnum};
use redshank_changes::RuleTarget;
use redshank_worktree::rules::RuleScope;
use std::ffi::OsString;

/// Which file of rules.
#[derive(Args)]
pub struct RuleArgs {
    /// Who the rule is for: everyone; everyone, in one folder; only this clone; only you, in every
    /// repository
    #[arg(long = "for", value_enum, value_name = "REACH", default_value = "team")]
    reach: ReachArg,
    /// The folder, for `--for folder`; without it, the one you are in
    #[arg(long = "in", value_name = "FOLDER")]
    folder: Option<OsString>,
    /// Make your own ignore file if you have none yet
    #[arg(long)]
    create: bool,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum ReachArg {
    Team,
    Folder,
    Clone,
    Personal,
}

impl RuleArgs {
    /// The file that is meant.
    pub fn target(&self, context: &Context) -> Result<RuleTarget> {
        let scope = match self.reach {
            _ if self.folder.is_some() => RuleScope::Folder,
            ReachArg::Team => RuleScope::Team,
            ReachArg::Folder => RuleScope::Folder,
            ReachArg::Clone => RuleScope::Clone,
            ReachArg::Personal => RuleScope::Personal,
        };
        let folder = match &self.folder {
            Some(folder) => context.resolve_folder(folder)?,
            None => context.prefix.clone(),
        };
        let target = RuleTarget::of(&context.snapshot, scope, &folder)?;
        if scope == RuleScope::Personal && target.contents.is_none() && !self.create {
            bail!(
                "you have no ignore file of your own yet: {} is not there\n  --create makes it",
                target.path
            );
        }
        Ok(target)
    }
}
