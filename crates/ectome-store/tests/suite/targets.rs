//! Briefs, chains, scenes and trays as rows: what may be changed, and what holds what.

use crate::common::{Fixture, sheet};
use ectome_recipe::Brief;
use ectome_store::{
    StoreError,
    candidate::CandidateState,
    chain::Fill,
    scene::{SceneAsset, SceneRow},
};

#[tokio::test(flavor = "multi_thread")]
async fn a_brief_is_changed_by_row_and_held_by_what_it_judges() {
    let f = Fixture::new().await;
    let list = f.store.briefs().await.unwrap();
    let mut own = Brief::from_limits("Our own", &[500, 250]).unwrap();
    let id = f.store.put_brief(None, &own).await.unwrap();
    assert_eq!(f.store.briefs().await.unwrap().len(), list.len() + 1);
    // A name is given once, to a new brief and to one that is renamed.
    assert!(matches!(
        f.store.put_brief(None, &own).await,
        Err(StoreError::Taken { .. })
    ));
    own.tiers[0].outline_px = 1.0;
    own.name = list[0].brief.name.clone();
    assert!(matches!(
        f.store.put_brief(Some(id), &own).await,
        Err(StoreError::Taken { .. })
    ));
    own.name = "Ours".to_owned();
    f.store.put_brief(Some(id), &own).await.unwrap();
    let row = f
        .store
        .briefs()
        .await
        .unwrap()
        .into_iter()
        .find(|b| b.id == id)
        .unwrap();
    assert_eq!(row.brief, own);

    let asset = f.asset("plate", &sheet(3)).await;
    f.store.set_brief(asset.id, id).await.unwrap();
    assert!(!f.store.remove_brief(id).await.unwrap());
    f.store.set_brief(asset.id, list[0].id).await.unwrap();
    assert!(f.store.remove_brief(id).await.unwrap());
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_locked_tier_stays_and_a_light_source_fills_a_tier_as_it_is() {
    let f = Fixture::new().await;
    let asset = f.asset("plate", &sheet(6)).await;
    f.work_off().await;
    let asset = f.store.asset(asset.id).await.unwrap();
    let source = asset.built_triangles().unwrap();
    assert_eq!(source, 72);
    f.store
        .ask_for_chain(&asset, &[Fill::to(100), Fill::to(20), Fill::to(8)], None)
        .await
        .unwrap();
    f.work_off().await;
    let chain = f.store.chain(asset.id).await.unwrap();
    let counts: Vec<_> = chain
        .iter()
        .map(|t| t.candidate.triangles.unwrap())
        .collect();
    assert!(
        chain
            .iter()
            .all(|t| t.candidate.state == CandidateState::Ready),
        "{chain:?}"
    );
    assert_eq!(counts[0], source);
    assert!(counts[1] <= 20 && counts[2] <= 8, "{counts:?}");
    assert!(chain[0].candidate.proof.is_none() && chain[1].candidate.proof.is_some());

    f.store.lock_tier(asset.id, 1, true).await.unwrap();
    f.store
        .ask_for_chain(&asset, &[Fill::to(50), Fill::to(30)], None)
        .await
        .unwrap();
    f.work_off().await;
    let filled = f.store.chain(asset.id).await.unwrap();
    assert_eq!(filled.len(), 2);
    assert!(filled[0].candidate.triangles.unwrap() <= 50);
    assert_eq!(filled[1].candidate.hash, chain[1].candidate.hash);
    // Another candidate from the tray.
    f.store
        .set_tier(asset.id, 0, 100, &chain[0].candidate.hash)
        .await
        .unwrap();
    let set = f.store.chain(asset.id).await.unwrap();
    assert_eq!(set[0].candidate.hash, chain[0].candidate.hash);
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_scene_asks_for_its_shares_and_holds_them() {
    let f = Fixture::new().await;
    let asset = f.asset("plate", &sheet(6)).await;
    f.work_off().await;
    let asset = f.store.asset(asset.id).await.unwrap();
    let member = SceneAsset {
        asset: asset.id,
        distance_m: 2.5,
        instances: 3,
        candidate: None,
    };
    let mut scene = SceneRow {
        id: 0,
        name: "Landing".to_owned(),
        brief: f.store.briefs().await.unwrap()[0].id,
        triangles: 60,
        members: vec![member],
    };
    let id = f.store.put_scene(None, &scene).await.unwrap();
    f.store.ask_for_shares(id, &[(&asset, 20)]).await.unwrap();
    f.work_off().await;
    let kept = f.store.scene(id).await.unwrap();
    let hash = kept.members[0].candidate.clone().unwrap();
    let tray = f.store.tray(asset.id).await.unwrap();
    assert!(
        tray.iter()
            .any(|c| c.hash == hash && c.triangles.unwrap() <= 20)
    );
    assert!(!f.store.discard(asset.id, &hash).await.unwrap());

    // Cut further from there; what it was cut from is remembered.
    let from = tray.iter().find(|c| c.hash == hash).unwrap();
    let further = f.store.ask_to_go_on(&asset, from, 8).await.unwrap();
    f.work_off().await;
    let tray = f.store.tray(asset.id).await.unwrap();
    let made = tray.iter().find(|c| c.hash == further).unwrap();
    assert_eq!(made.based_on.as_deref(), Some(hash.as_str()));
    assert_eq!(made.report.as_ref().unwrap().triangles_before, 72);
    f.store.pin(asset.id, &further, true).await.unwrap();
    assert!(
        f.store
            .tray(asset.id)
            .await
            .unwrap()
            .iter()
            .any(|c| c.pinned)
    );
    assert!(f.store.discard(asset.id, &further).await.unwrap());

    // Settings of the scene change, its candidates stay; a member that leaves is gone.
    scene.triangles = 90;
    f.store.put_scene(Some(id), &scene).await.unwrap();
    assert_eq!(
        f.store.scene(id).await.unwrap().members[0].candidate,
        Some(hash)
    );
    scene.members.clear();
    f.store.put_scene(Some(id), &scene).await.unwrap();
    assert!(f.store.scene(id).await.unwrap().members.is_empty());
    f.store.remove_scene(id).await.unwrap();
    assert!(matches!(
        f.store.scene(id).await,
        Err(StoreError::Missing { .. })
    ));
    f.end().await;
}
