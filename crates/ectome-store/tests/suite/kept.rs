//! What is kept between steps: sources are read once, candidates go on from one another, and what a change of the source made
//! old is made anew.

use crate::common::{Fixture, sheet};
use ectome_recipe::{Change, LoopChoice, Manner, Plane, UvStep, change};
use ectome_store::{
    artefact::kind,
    asset::Asset,
    candidate::{Candidate, CandidateState},
    chain::Fill,
};

fn above(axis: usize, at: f32) -> Change {
    let (mut point, mut normal) = ([0.0; 3], [0.0; 3]);
    (point[axis], normal[axis]) = (at, 1.0);
    Change::Clip(change::Clip {
        plane: Plane { point, normal },
        cap: false,
    })
}

async fn tray(f: &Fixture, asset: &Asset) -> Vec<Candidate> {
    let tray = f.store.tray(asset.id).await.unwrap();
    for c in &tray {
        assert_eq!(c.state, CandidateState::Ready, "{}: {:?}", c.wish, c.fault);
    }
    tray
}

#[tokio::test(flavor = "multi_thread")]
async fn a_source_is_read_once_and_never_again() {
    let f = Fixture::new().await;
    let asset = f.asset("sheet", &sheet(20)).await;
    f.work_off().await;
    // From here on there is nothing to read it from.
    let source = &f.store.source_files(asset.id).await.unwrap()[0].blob;
    let path = f
        .folder
        .path()
        .join("blobs")
        .join(&source[..2])
        .join(source);
    std::fs::remove_file(path).unwrap();
    for changes in [vec![above(0, 4.5)], vec![above(0, 4.5), above(1, 2.5)]] {
        let asset = f.store.asset(asset.id).await.unwrap();
        f.store.ask_for_preparation(&asset, &changes).await.unwrap();
        f.work_off().await;
        let asset = f.store.asset(asset.id).await.unwrap();
        assert_eq!(asset.preparation_fault, None);
        // What an earlier change did is known although it was not made again.
        assert_eq!(asset.results.len(), changes.len());
        assert!(asset.results.iter().all(|done| done.count > 0));
    }
    let asset = f.store.asset(asset.id).await.unwrap();
    f.store.ask_for_cut(&asset, 200).await.unwrap();
    let every = LoopChoice::Every(2);
    f.store.ask_for_loops(&asset, every, 100).await.unwrap();
    f.work_off().await;
    let made = tray(&f, &asset).await;
    f.store
        .ask_for_uvs(&asset, Some(&made[0]), UvStep::unwrap(Manner::Soft))
        .await
        .unwrap();
    f.store.ask_to_go_on(&asset, &made[0], 90).await.unwrap();
    f.work_off().await;
    let made = tray(&f, &asset).await;
    assert_eq!(made.len(), 4);
    // Other UVs on the same surface: what was measured of it, and what is to be looked at, holds.
    let dressed = made.iter().find(|c| c.changes_uvs).unwrap();
    let off = |c: &Candidate| c.report.as_ref().unwrap().deviation_max_mm;
    assert_eq!(off(dressed), off(&made[0]));
    assert_eq!(dressed.pictures, made[0].pictures);
    assert!(dressed.pictures.is_some() && dressed.picture.is_some());
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_kept_scene_that_is_damaged_is_made_again() {
    let f = Fixture::new().await;
    let asset = f.asset("sheet", &sheet(12)).await;
    f.work_off().await;
    let asset = f.store.asset(asset.id).await.unwrap();
    let kept = f.store.artefacts(&asset.prepared).await.unwrap();
    let mesh = kept.of(kind::MESH).unwrap();
    let path = f.folder.path().join("blobs").join(&mesh[..2]).join(mesh);
    std::fs::write(path, b"ECTOMESH and then nothing").unwrap();
    f.store.ask_for_cut(&asset, 60).await.unwrap();
    f.work_off().await;
    assert!(tray(&f, &asset).await[0].triangles.unwrap() <= 60);
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_a_change_made_old_says_so_and_is_made_anew_in_its_place() {
    let f = Fixture::new().await;
    let asset = f.asset("sheet", &sheet(20)).await;
    f.work_off().await;
    let asset = f.store.asset(asset.id).await.unwrap();
    f.store.ask_for_cut(&asset, 400).await.unwrap();
    f.work_off().await;
    let first = &tray(&f, &asset).await[0];
    f.store
        .ask_for_uvs(&asset, Some(first), UvStep::unwrap(Manner::Soft))
        .await
        .unwrap();
    f.work_off().await;
    let dressed = tray(&f, &asset).await.pop().unwrap();
    f.store.pin(asset.id, &first.hash, true).await.unwrap();
    let fills = [Fill::to(300), Fill::to(100)];
    f.store
        .ask_for_chain(&asset, &fills, Some(&dressed))
        .await
        .unwrap();
    f.work_off().await;
    assert!(
        tray(&f, &asset)
            .await
            .iter()
            .all(|c| !c.is_out_of_date(&asset))
    );

    f.store
        .ask_for_preparation(&asset, &[above(0, 4.5)])
        .await
        .unwrap();
    f.work_off().await;
    let asset = f.store.asset(asset.id).await.unwrap();
    let old = tray(&f, &asset).await;
    assert!(old.iter().all(|c| c.is_out_of_date(&asset)));
    assert_eq!(f.store.ask_for_all_anew(&asset).await.unwrap(), old.len());
    f.work_off().await;
    let new = tray(&f, &asset).await;
    assert_eq!(new.len(), old.len());
    assert!(new.iter().all(|c| !c.is_out_of_date(&asset)));
    assert_eq!(new.iter().filter(|c| c.pinned).count(), 1);
    // The chain is the new one, cut from the new candidate with UVs.
    let base = new.iter().find(|c| c.changes_uvs).unwrap();
    for (tier, most) in f
        .store
        .chain(asset.id)
        .await
        .unwrap()
        .iter()
        .zip([300, 100])
    {
        assert!(tier.candidate.triangles.unwrap() <= most);
        assert_eq!(tier.candidate.based_on.as_ref(), Some(&base.hash));
    }
    assert_eq!(f.store.ask_for_all_anew(&asset).await.unwrap(), 0);
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_tier_that_is_cut_anew_keeps_the_uvs_of_its_chain() {
    let f = Fixture::new().await;
    let asset = f.asset("sheet", &sheet(20)).await;
    f.work_off().await;
    let asset = f.store.asset(asset.id).await.unwrap();
    f.store
        .ask_for_uvs(&asset, None, UvStep::unwrap(Manner::Soft))
        .await
        .unwrap();
    f.work_off().await;
    let base = tray(&f, &asset).await.pop().unwrap();
    let fills = [Fill::to(300), Fill::to(100)];
    f.store
        .ask_for_chain(&asset, &fills, Some(&base))
        .await
        .unwrap();
    f.store.ask_for_tier(&asset, 1, Fill::to(80)).await.unwrap();
    f.work_off().await;
    let chain = f.store.chain(asset.id).await.unwrap();
    let anew = &chain[1].candidate;
    assert!(anew.triangles.unwrap() <= 80);
    assert_eq!(anew.based_on, Some(base.hash));
    assert_eq!(anew.proof.as_ref().unwrap().uv_sets, 1);
    f.end().await;
}
