//! A database of every older version, with rows in it, is taken over: names, numbers and files are what they were, and what is asked for
//! afterwards is made.

use crate::common::sheet;
use ectome_recipe::starting_briefs;
use ectome_store::{
    Store, blobs::Blobs, candidate::CandidateState, database::PrivateServer, disk::Disk,
};
use rstest::rstest;
use sqlx::MySqlPool;

/// What stood for the files of the source.
const SOURCE: &str = "00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff";

/// Rows as the first version wrote them: a brief, an asset with its file that waits for its intake, a cut that failed, and work.
async fn first_rows(pool: &MySqlPool, blob: &str, bytes: usize) {
    let brief = serde_json::to_string(&starting_briefs::starting()[0]).unwrap();
    let recipe = r#"{"source":"x","steps":[]}"#;
    for statement in [
        sqlx::query("INSERT INTO briefs (name, document) VALUES ('ours', ?)").bind(brief),
        sqlx::query("INSERT INTO assets (name, brief, source) VALUES ('Old float', 1, ?)").bind(SOURCE),
        sqlx::query("INSERT INTO source_files (asset, position, name, blob_key, bytes) VALUES (1, 0, 'float.obj', ?, ?)")
            .bind(blob)
            .bind(bytes as u64),
        sqlx::query(
            "INSERT INTO candidates (hash, recipe, target, state, fault) \
             VALUES ('0123456789abcdef0123456789abcdef', ?, 50, 'failed', 'held')",
        )
        .bind(recipe),
        sqlx::query("INSERT INTO tray (asset, candidate, number) VALUES (1, '0123456789abcdef0123456789abcdef', 4)"),
        sqlx::query("INSERT INTO work (kind, asset, candidate, state) VALUES ('cut', 1, '0123456789abcdef0123456789abcdef', 'failed')"),
        sqlx::query("INSERT INTO work (kind, asset) VALUES ('intake', 1)"),
    ] {
        statement.execute(pool).await.unwrap();
    }
}

#[rstest]
#[tokio::test(flavor = "multi_thread")]
async fn rows_of_an_older_version_are_taken_over(
    #[values(1, 2, 3, 4, 5, 6, 7, 8, 9, 10)] version: i64,
) {
    let folder = tempfile::tempdir().unwrap();
    ectome_testing::database::seed(&folder.path().join("database"));
    let server = PrivateServer::start(&folder.path().join("database"))
        .await
        .unwrap();
    let blobs = Blobs::in_folder(&folder.path().join("blobs")).unwrap();
    let text = sheet(12);
    let blob = blobs.put(text.clone()).await.unwrap();
    let pool = MySqlPool::connect(server.address()).await.unwrap();
    let migrations = ectome_store::database::schema::steps();
    migrations.run_to(1, &pool).await.unwrap();
    first_rows(&pool, &blob, text.len()).await;
    migrations.run_to(version, &pool).await.unwrap();
    pool.close().await;

    let disk = Disk::of(folder.path(), 0);
    let store = Store::open(server.connection(), blobs, disk).await.unwrap();
    let briefs = store.briefs().await.unwrap();
    assert_eq!(briefs.len(), 1);
    assert_eq!(briefs[0].brief, starting_briefs::starting()[0]);
    let asset = store.asset(1).await.unwrap();
    assert_eq!(asset.name, "Old float");
    let tray = store.tray(1).await.unwrap();
    assert_eq!(tray.len(), 1);
    assert_eq!((tray[0].number, tray[0].state), (4, CandidateState::Failed));

    // It is read anew, and a cut of it has the next number.
    let f = crate::common::Fixture {
        store,
        server,
        folder,
    };
    f.work_off().await;
    let asset = f.store.asset(1).await.unwrap();
    assert_eq!(asset.fault, None, "{version}");
    assert!(asset.inspection.is_some(), "{version}");
    f.store.ask_for_cut(&asset, 100).await.unwrap();
    f.work_off().await;
    let tray = f.store.tray(1).await.unwrap();
    let newest = tray.iter().max_by_key(|c| c.number).unwrap();
    assert_eq!((newest.number, newest.state), (5, CandidateState::Ready));
    f.end().await;
}
