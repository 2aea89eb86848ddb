//! Batches: every asset goes the whole way, failures stop none, a changed source goes again, and tags find what they mark.

use crate::common::{Fixture, sheet};
use ectome_recipe::{
    Brief, Plan,
    plan::{Act, Line},
};
use ectome_store::{
    asset::SourceFile,
    finding::{AssetsWanted, Order},
    parcel::{ParcelState, ParcelsWanted},
    work::Kind,
};

async fn brief(f: &Fixture) -> u64 {
    let text = "name = \"Quay\"\n[[tier]]\ntriangles = 200\n[[tier]]\ntriangles = 90\n";
    f.store
        .put_brief(None, &Brief::from_toml(text).unwrap())
        .await
        .unwrap()
}

async fn parcels(f: &Fixture, asset: u64) -> Vec<ectome_store::parcel::Parcel> {
    let wanted = ParcelsWanted {
        asset: Some(asset),
        most: 10,
        ..ParcelsWanted::default()
    };
    f.store.parcels(&wanted).await.unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn every_asset_goes_the_whole_way_and_a_changed_one_again() {
    let f = Fixture::new().await;
    let brief = brief(&f).await;
    let ready = f.asset("lamp", &sheet(16)).await.id;
    f.work_off().await;
    // One is not read yet, and one never will be.
    let arriving = f.asset("post", &sheet(14)).await.id;
    let broken = f.asset("junk", "no mesh at all").await.id;
    let all = [ready, arriving, broken];
    let batch = f
        .store
        .add_batch("Night", brief, None, None, &all)
        .await
        .unwrap();
    f.work_off().await;
    for id in [ready, arriving] {
        let made = parcels(&f, id).await;
        assert_eq!(made.len(), 1);
        assert_eq!(made[0].state, ParcelState::Ready, "{:?}", made[0].fault);
        assert_eq!(made[0].sheet.as_ref().unwrap().tiers.len(), 2);
        assert_eq!(f.store.asset(id).await.unwrap().brief, brief);
    }
    assert!(parcels(&f, broken).await.is_empty());
    let members = f.store.batch_assets(batch).await.unwrap();
    assert_eq!(members.len(), 3);

    // New files for one: only that one is planned and made again.
    let before = f.store.latest_work(200).await.unwrap().len();
    let asset = f.store.asset(ready).await.unwrap();
    let obj = sheet(18);
    let file = SourceFile {
        name: "lamp.obj".to_owned(),
        bytes: obj.len() as u64,
        blob: f.store.blobs.put(obj).await.unwrap(),
    };
    f.store.replace_files(&asset, &[file]).await.unwrap();
    f.work_off().await;
    assert_eq!(parcels(&f, ready).await.len(), 2);
    assert_eq!(parcels(&f, arriving).await.len(), 1);
    let work = f.store.latest_work(200).await.unwrap();
    let new = &work[..work.len() - before];
    assert!(new.iter().all(|w| w.asset == ready), "{new:?}");
    assert_eq!(new.iter().filter(|w| w.kind == Kind::Plan).count(), 1);

    // Asked for again without a change: the same parcel stands.
    f.store
        .change_batch(batch, "Night", brief, None, true)
        .await
        .unwrap();
    f.work_off().await;
    assert_eq!(parcels(&f, ready).await.len(), 2);
    assert_eq!(parcels(&f, arriving).await.len(), 1);
    f.end().await;
}

/// A plan for all, one of its own for one, and one that cannot be: it says so and stops nothing.
#[tokio::test(flavor = "multi_thread")]
async fn plans_are_chosen_overridden_and_refused() {
    let f = Fixture::new().await;
    let brief = brief(&f).await;
    let mut ids = Vec::new();
    for n in 0..3 {
        ids.push(f.asset(&format!("lamp {n}"), &sheet(16)).await.id);
    }
    f.work_off().await;
    let cut = |triangles: u32| Plan {
        lines: vec![
            Line {
                why: String::new(),
                act: Act::Cut { triangles },
            },
            Line {
                why: String::new(),
                act: Act::Parcel,
            },
        ],
        ..Plan::default()
    };
    f.store.save_plan("Low", &cut(80)).await.unwrap();
    f.store.save_plan("Low", &cut(120)).await.unwrap();
    let saved = f.store.saved_plans().await.unwrap();
    assert_eq!(
        saved.len(),
        1,
        "a plan of that name takes the place of the other"
    );
    let batch = f
        .store
        .add_batch("Low", brief, Some(&saved[0].plan), None, &ids)
        .await
        .unwrap();
    f.store
        .set_own_plan(batch, ids[1], Some(&cut(60)))
        .await
        .unwrap();
    f.store
        .set_own_plan(batch, ids[2], Some(&cut(3)))
        .await
        .unwrap();
    f.work_off().await;
    for (id, most) in [(ids[0], 120), (ids[1], 60)] {
        let made = parcels(&f, id).await;
        let triangles = made[0].sheet.as_ref().unwrap().contents[0].triangles;
        assert!(
            triangles <= most && triangles > most / 2,
            "{triangles} of {most}"
        );
    }
    let members = f.store.batch_assets(batch).await.unwrap();
    let refused = members.iter().find(|m| m.asset == ids[2]).unwrap();
    let fault = refused.fault.clone().unwrap();
    assert!(fault.contains("3 triangles make no shape"), "{fault}");
    f.store.remove_batch(batch).await.unwrap();
    assert!(f.store.batches().await.unwrap().is_empty());
    assert_eq!(f.store.assets().await.unwrap().len(), 3);
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn assets_are_found_by_name_brief_and_tag() {
    let f = Fixture::new().await;
    let heavy = f.asset("Quay lamp", &sheet(20)).await.id;
    let light = f.asset("boat 100%", &sheet(8)).await.id;
    f.work_off().await;
    f.store
        .tag_assets(&[heavy, light], "harbour", true)
        .await
        .unwrap();
    f.store.tag_assets(&[light], "ropes", true).await.unwrap();
    f.store.tag_assets(&[light], "  ", true).await.unwrap();
    let find = async |search: &str, tag: &str, order| {
        let wanted = AssetsWanted {
            search: search.to_owned(),
            tag: tag.to_owned(),
            order,
            most: 10,
            from: 0,
        };
        let (list, all) = f.store.found_assets(&wanted).await.unwrap();
        assert_eq!(list.len() as u64, all);
        list.iter().map(|a| a.id).collect::<Vec<_>>()
    };
    assert_eq!(find("", "", Order::Latest).await, [light, heavy]);
    assert_eq!(find("", "", Order::Heaviest).await, [heavy, light]);
    assert_eq!(find("", "", Order::Name).await, [light, heavy]);
    assert_eq!(find("LAMP", "", Order::Latest).await, [heavy]);
    assert_eq!(
        find("%", "", Order::Latest).await,
        [light],
        "a sign is a sign"
    );
    assert_eq!(find("_", "", Order::Latest).await, Vec::<u64>::new());
    assert_eq!(find("", "harbour", Order::Latest).await, [light, heavy]);
    assert_eq!(find("rope", "", Order::Latest).await, [light]);
    let tags = f.store.tags().await.unwrap();
    assert_eq!(tags, [("harbour".to_owned(), 2), ("ropes".to_owned(), 1)]);
    f.store.tag_assets(&[light], "ropes", false).await.unwrap();
    assert_eq!(f.store.tags().await.unwrap().len(), 1);
    assert!(
        f.store
            .tag_assets(&[light], &"x".repeat(41), true)
            .await
            .is_err()
    );
    f.end().await;
}
