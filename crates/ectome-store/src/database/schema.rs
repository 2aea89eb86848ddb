//! The steps that lead from an empty database to the present schema (docs/schema.md), in their order.
//!
//! They are listed here rather than found by SQLx's macro, which would have SQLx, its database driver and its encryption built twice: once
//! more for the compiler.

use std::borrow::Cow;

use sqlx::{
    SqlSafeStr,
    migrate::{Migration, MigrationType, Migrator},
};

/// Number, name and statements of each step.
const STEPS: &[(i64, &str, &str)] = &[
    (1, "start", include_str!("../../migrations/0001_start.sql")),
    (
        2,
        "intake",
        include_str!("../../migrations/0002_intake.sql"),
    ),
    (3, "proof", include_str!("../../migrations/0003_proof.sql")),
    (4, "uvs", include_str!("../../migrations/0004_uvs.sql")),
    (
        5,
        "reliability",
        include_str!("../../migrations/0005_reliability.sql"),
    ),
    (
        6,
        "artefacts",
        include_str!("../../migrations/0006_artefacts.sql"),
    ),
    (
        7,
        "workers",
        include_str!("../../migrations/0007_workers.sql"),
    ),
    (
        8,
        "glimpses",
        include_str!("../../migrations/0008_glimpses.sql"),
    ),
    (
        9,
        "brought",
        include_str!("../../migrations/0009_brought.sql"),
    ),
    (
        10,
        "nearly flat",
        include_str!("../../migrations/0010_nearly_flat.sql"),
    ),
    (
        11,
        "glimpses of",
        include_str!("../../migrations/0011_glimpses_of.sql"),
    ),
    (12, "make", include_str!("../../migrations/0012_make.sql")),
    (
        13,
        "parcels",
        include_str!("../../migrations/0013_parcels.sql"),
    ),
    (
        14,
        "batches",
        include_str!("../../migrations/0014_batches.sql"),
    ),
];

/// All steps. Which of them a database has had is kept in a table of its own, with a checksum of the statements.
pub fn steps() -> Migrator {
    let step = |&(number, name, sql): &(i64, &'static str, &'static str)| {
        let sql = sql.into_sql_str();
        Migration::new(
            number,
            Cow::Borrowed(name),
            MigrationType::Simple,
            sql,
            false,
        )
    };
    Migrator::with_migrations(STEPS.iter().map(step).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_file_is_a_step() {
        let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/migrations");
        let mut files: Vec<String> = std::fs::read_dir(folder)
            .unwrap()
            .map(|f| f.unwrap().file_name().into_string().unwrap())
            .collect();
        files.sort();
        let steps: Vec<String> = STEPS
            .iter()
            .map(|(number, name, _)| format!("{number:04}_{}.sql", name.replace(' ', "_")))
            .collect();
        assert_eq!(steps, files);
    }
}
