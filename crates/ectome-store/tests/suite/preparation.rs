//! Changes before the cut: made, refused, taken back; and what an asset carries with it.

use crate::common::{Fixture, sheet};
use ectome_recipe::{Change, Fate, Plane, SplitBy, change};
use ectome_store::asset::{PassOn, Provenance, SourceFile};

fn above(x: f32) -> Change {
    Change::Clip(change::Clip {
        plane: Plane {
            point: [x, 0.0, 0.0],
            normal: [1.0, 0.0, 0.0],
        },
        cap: false,
    })
}

#[tokio::test(flavor = "multi_thread")]
async fn a_change_is_made_as_a_whole_or_not_at_all() {
    let f = Fixture::new().await;
    let asset = f.asset("sheet", &sheet(10)).await;
    f.work_off().await;
    let before = f.store.asset(asset.id).await.unwrap();
    let triangles = |a: &ectome_store::asset::Asset| a.inspection.as_ref().unwrap().triangles;
    assert_eq!((triangles(&before), before.preparation.len()), (200, 0));

    f.store
        .ask_for_preparation(&before, &[above(5.0)])
        .await
        .unwrap();
    assert!(f.store.asset(asset.id).await.unwrap().wanted.is_some());
    f.work_off().await;
    let half = f.store.asset(asset.id).await.unwrap();
    assert_eq!((triangles(&half), half.results.len()), (100, 1));
    assert!(half.wanted.is_none() && half.view != before.view);
    assert_ne!(half.recipe(50).key(), before.recipe(50).key());

    // A clip that leaves nothing: everything stays, and the reason is said.
    let nothing = [above(5.0), above(50.0)];
    f.store.ask_for_preparation(&half, &nothing).await.unwrap();
    f.work_off().await;
    let same = f.store.asset(asset.id).await.unwrap();
    assert_eq!(
        (same.preparation.clone(), same.view.clone()),
        (half.preparation, half.view)
    );
    assert!(same.preparation_fault.unwrap().contains("nothing"));

    // Taken back, the asset is what it was, to the byte of its stage mesh.
    f.store.ask_for_preparation(&before, &[]).await.unwrap();
    f.work_off().await;
    let back = f.store.asset(asset.id).await.unwrap();
    assert_eq!((back.view, back.marks), (before.view, before.marks));
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn the_latest_wish_wins_and_fates_reach_the_rows() {
    let f = Fixture::new().await;
    let two = format!("o near\n{}o far\n", sheet(3)) + "v 40 0 0\nv 41 0 0\nv 40 1 0\nf -3 -2 -1\n";
    let asset = f.asset("two", &two).await;
    f.work_off().await;
    let asset = f.store.asset(asset.id).await.unwrap();
    let omit = Change::Fate(change::Fate {
        parts: vec![1],
        fate: Fate::Omit,
    });
    let split = Change::Split(change::Split {
        part: 0,
        by: SplitBy::Pieces,
    });
    f.store.ask_for_preparation(&asset, &[split]).await.unwrap();
    f.store
        .ask_for_preparation(&asset, std::slice::from_ref(&omit))
        .await
        .unwrap();
    f.work_off().await;
    let now = f.store.asset(asset.id).await.unwrap();
    assert_eq!(now.preparation, [omit]);
    let fates: Vec<Fate> = now
        .inspection
        .unwrap()
        .objects
        .iter()
        .map(|o| o.fate)
        .collect();
    assert_eq!(fates, [Fate::Build, Fate::Omit]);
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn an_unlikely_size_is_read_in_a_likelier_unit_and_says_so() {
    let f = Fixture::new().await;
    let asset = f.asset("large", &sheet(60)).await;
    f.work_off().await;
    let asset = f.store.asset(asset.id).await.unwrap();
    assert!(matches!(asset.preparation[..], [Change::Measure(_)]));
    let found = asset.space.unwrap();
    assert!(
        !found.certain && found.reason.contains("centimetres"),
        "{}",
        found.reason
    );
    let bounds = asset.inspection.unwrap().bounds_m;
    assert!((bounds[1][0] - 0.6).abs() < 1e-5);
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn origin_and_licence_are_kept() {
    let f = Fixture::new().await;
    let asset = f.asset("sheet", &sheet(2)).await;
    let given = Provenance {
        origin: "harbour archive".to_owned(),
        author: "the keeper".to_owned(),
        licence: "study only".to_owned(),
        may_pass_on: PassOn::No,
    };
    f.store.set_provenance(asset.id, &given).await.unwrap();
    assert_eq!(f.store.asset(asset.id).await.unwrap().provenance, given);
    f.end().await;
}

/// Newer files take the place of an asset's: what was done to the old is done to them, what was made of the old is out of date,
/// and all of it can be made anew.
#[tokio::test(flavor = "multi_thread")]
async fn newer_files_take_the_place_of_older_ones() {
    let f = Fixture::new().await;
    let asset = f.asset("sheet", &sheet(10)).await;
    f.work_off().await;
    let asset = f.store.asset(asset.id).await.unwrap();
    f.store
        .ask_for_preparation(&asset, &[above(5.0)])
        .await
        .unwrap();
    f.work_off().await;
    let asset = f.store.asset(asset.id).await.unwrap();
    f.store.ask_for_cut(&asset, 60).await.unwrap();
    f.work_off().await;
    let obj = sheet(20);
    let file = SourceFile {
        name: "sheet.obj".to_owned(),
        bytes: obj.len() as u64,
        blob: f.store.blobs.put(obj).await.unwrap(),
    };
    f.store.replace_files(&asset, &[file]).await.unwrap();
    f.work_off().await;
    let newer = f.store.asset(asset.id).await.unwrap();
    assert_ne!(newer.source, asset.source);
    assert_eq!(newer.preparation, asset.preparation);
    // 20 × 20 squares, cut at a quarter.
    assert_eq!(newer.inspection.as_ref().unwrap().triangles, 600);
    let old = &f.store.tray(asset.id).await.unwrap()[0];
    assert!(old.is_out_of_date(&newer));
    assert_eq!(f.store.ask_for_all_anew(&newer).await.unwrap(), 1);
    f.work_off().await;
    let tray = f.store.tray(asset.id).await.unwrap();
    assert!(
        tray.iter()
            .any(|c| !c.is_out_of_date(&newer) && c.triangles.is_some())
    );
    f.end().await;
}
