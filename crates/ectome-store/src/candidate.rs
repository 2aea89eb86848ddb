//! What recipes made: candidates by hash and the tray of an asset.

use std::collections::HashMap;

use ectome_recipe::{
    Artefact, Brief, CutReport, Faces, LoopChoice, Measured, Proof, Recipe, Target, UvReport,
    UvStep, maps::BakeSettings, merge::MergeSettings, sight, step::BroughtFile,
};
use sqlx::{Row, mysql::MySqlRow};

use crate::{
    Store, StoreError,
    artefact::{self, Artefacts, Named, kind},
    asking::{Wanted, ask},
    asset::Asset,
    document::{json, short, stored},
    retry::retrying,
};

/// How far a candidate is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum CandidateState {
    /// Its work has not finished.
    Waiting,
    /// It is there and will never change.
    Ready,
    /// It could not be made.
    Failed,
}

/// A candidate in the tray of an asset.
#[derive(Clone, Debug)]
pub struct Candidate {
    /// Its address.
    pub hash: String,
    /// Its number in the tray.
    pub number: u32,
    /// The triangles that were asked for, or are expected; 0 while nobody can tell.
    pub target: u64,
    /// What was asked for, in words.
    pub wish: String,
    /// The key of the source as its recipe prepares it; empty where an earlier version made it.
    pub prepared: String,
    /// How far it is.
    pub state: CandidateState,
    /// Triangles made.
    pub triangles: Option<u64>,
    /// Vertices made.
    pub vertices: Option<u64>,
    /// What the cut did.
    pub report: Option<CutReport>,
    /// The blob of the mesh as the stage shows it, GLB of triangles.
    pub view: Option<String>,
    /// The blob of its picture.
    pub picture: Option<String>,
    /// Why it could not be made.
    pub fault: Option<String>,
    /// What it looks like beside its source.
    pub proof: Option<Proof>,
    /// The blobs of its pictures.
    pub pictures: Option<PictureBlobs>,
    /// The address of the candidate it was cut from; `None` for the source.
    pub based_on: Option<String>,
    /// It keeps its mark on the Rule.
    pub pinned: bool,
    /// Its recipe ends with a change of UVs.
    pub changes_uvs: bool,
    /// Maps were baked for it.
    pub has_maps: bool,
    /// What that change did.
    pub uv: Option<UvReport>,
}

/// The blobs of a proof's pictures and fields.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct PictureBlobs {
    /// The worst outline, PNG.
    pub outline: String,
    /// The worst view of shading: source, result, difference, PNG.
    pub shading: [String; 3],
    /// The worst view of each figure of the look: source, result, difference, PNG. Empty where the look was not compared.
    pub look: Vec<LookBlobs>,
    /// The deviation over the source, GLB.
    pub source_field: String,
    /// The deviation over the result, GLB.
    pub result_field: String,
}

/// The blobs of the pictures of a figure of the look.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct LookBlobs {
    /// The figure's word.
    pub figure: &'static str,
    /// Source, result, difference.
    pub pictures: [String; 3],
}

impl PictureBlobs {
    /// Those among what is kept beside a candidate; `None` unless all are there.
    fn among(artefacts: &Artefacts) -> Option<Self> {
        let one = |kind, which: &str| artefacts.one_of(kind, which).map(str::to_owned);
        let shading = |which| one(Artefact::SHADING, which);
        Some(Self {
            outline: one(Artefact::OUTLINE, "")?,
            shading: [
                shading(Artefact::SOURCE)?,
                shading(Artefact::RESULT)?,
                shading(Artefact::DIFFERENCE)?,
            ],
            look: (sight::FIGURES.into_iter())
                .filter_map(|figure| {
                    let [a, b, c] = sight::names(figure).map(|n| one(Artefact::LOOK, &n));
                    Some(LookBlobs {
                        figure,
                        pictures: [a?, b?, c?],
                    })
                })
                .collect(),
            source_field: one(Artefact::FIELD, Artefact::SOURCE)?,
            result_field: one(Artefact::FIELD, Artefact::RESULT)?,
        })
    }
}

impl Candidate {
    /// What was measured of it, as a brief judges it, once it is made.
    pub fn measured(&self, brief: &Brief, asset: &Asset) -> Option<Measured> {
        if self.state != CandidateState::Ready {
            return None;
        }
        Some(Measured::of(
            brief,
            asset.inspection.as_ref()?,
            self.triangles? as usize,
            Some(self.report.as_ref()?),
            self.proof.as_ref(),
        ))
    }

    /// True when the source was changed since: it is no longer what this candidate was made of.
    pub fn is_out_of_date(&self, asset: &Asset) -> bool {
        !self.prepared.is_empty() && self.prepared != asset.prepared
    }

    pub(crate) fn from_row(
        row: &MySqlRow,
        artefacts: &HashMap<String, Artefacts>,
    ) -> Result<Self, StoreError> {
        let hash: String = row.try_get("hash")?;
        let none = Artefacts::default();
        let artefacts = artefacts.get(&hash).unwrap_or(&none);
        let state: String = row.try_get("state")?;
        Ok(Self {
            hash,
            number: row.try_get("number")?,
            target: row.try_get("target")?,
            wish: row.try_get("wish")?,
            prepared: row.try_get("prepared")?,
            state: match state.as_str() {
                "ready" => CandidateState::Ready,
                "failed" => CandidateState::Failed,
                _ => CandidateState::Waiting,
            },
            triangles: row.try_get("triangles")?,
            vertices: row.try_get("vertices")?,
            report: stored(row, "report")?,
            view: artefacts.of(kind::VIEW).map(str::to_owned),
            picture: artefacts.of(Artefact::PICTURE).map(str::to_owned),
            fault: row.try_get("fault")?,
            proof: stored(row, "proof")?,
            pictures: PictureBlobs::among(artefacts),
            based_on: row.try_get("based_on")?,
            pinned: row.try_get("pinned")?,
            changes_uvs: row.try_get("changes_uvs")?,
            has_maps: artefacts.of(Artefact::BAKE).is_some(),
            uv: stored(row, "uv")?,
        })
    }
}

/// What a worker hands over for a candidate.
pub(crate) struct Finished {
    /// Triangles made.
    pub triangles: u64,
    /// Vertices made.
    pub vertices: u64,
    /// What the cut did.
    pub report: CutReport,
    /// What it looks like beside its source, where something was cut.
    pub proof: Option<Proof>,
    /// What its last step did to UVs.
    pub uv: Option<UvReport>,
    /// What is kept beside it.
    pub artefacts: Vec<Named>,
    /// The key of the result whose other artefacts hold for this one too.
    pub shares_with: Option<String>,
}

impl Store {
    /// Puts the cut of an asset to `target` into its tray and queues the work, unless it was made
    /// before. Returns the candidate's address.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_cut(&self, asset: &Asset, target: u32) -> Result<String, StoreError> {
        self.ask_for(asset, &Wanted::of(&asset.recipe(target), u64::from(target)))
            .await
    }

    /// The same for what candidate `from` of the asset's tray is, cut further with the asset's settings.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_to_go_on(
        &self,
        asset: &Asset,
        from: &Candidate,
        target: u32,
    ) -> Result<String, StoreError> {
        let recipe = self.recipe(&from.hash).await?;
        let recipe = recipe.continued(Target::Triangles(target), asset.settings.clone());
        let wanted = Wanted {
            recipe: &recipe,
            expected: u64::from(target),
            based_on: Some(&from.hash),
        };
        self.ask_for(asset, &wanted).await
    }

    /// The same for other UVs on candidate `from` of the asset's tray, or on the source itself.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_uvs(
        &self,
        asset: &Asset,
        from: Option<&Candidate>,
        step: UvStep,
    ) -> Result<String, StoreError> {
        let further = |recipe: Recipe| recipe.with_uvs(step);
        self.ask_for_dressed(asset, from, further).await
    }

    /// The same for maps of what candidate `from` is, baked from the asset's source.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_maps(
        &self,
        asset: &Asset,
        from: &Candidate,
        settings: BakeSettings,
    ) -> Result<String, StoreError> {
        let further = |recipe: Recipe| recipe.with_maps(settings);
        self.ask_for_dressed(asset, Some(from), further).await
    }

    /// The same for what candidate `from` is, or for 0 the asset's source, with its materials merged.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_merged_materials(
        &self,
        asset: &Asset,
        from: Option<&Candidate>,
        settings: MergeSettings,
    ) -> Result<String, StoreError> {
        let further = |recipe: Recipe| recipe.with_merged_materials(settings);
        self.ask_for_dressed(asset, from, further).await
    }

    /// The same for what candidate `from` is, or the asset's source, with a further step that leaves its triangles.
    async fn ask_for_dressed(
        &self,
        asset: &Asset,
        from: Option<&Candidate>,
        further: impl FnOnce(Recipe) -> Recipe,
    ) -> Result<String, StoreError> {
        let recipe = match from {
            Some(c) => self.recipe(&c.hash).await?,
            None => Recipe::whole(&asset.source, &asset.preparation),
        };
        let source = asset.inspection.as_ref().map_or(0, |i| i.triangles as u64);
        let wanted = Wanted {
            recipe: &further(recipe),
            expected: from.map_or(source, |c| c.triangles.unwrap_or(c.target)),
            based_on: from.map(|c| c.hash.as_str()),
        };
        self.ask_for(asset, &wanted).await
    }

    /// The same for merging what is flat within so many millimetres in an asset, which is expected to leave `expected` triangles.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_flat(
        &self,
        asset: &Asset,
        within_mm: f64,
        faces: Faces,
        expected: u64,
    ) -> Result<String, StoreError> {
        let recipe = Recipe::merge_flat(
            &asset.source,
            &asset.preparation,
            asset.settings.clone(),
            within_mm,
            faces,
        );
        self.ask_for(asset, &Wanted::of(&recipe, expected)).await
    }

    /// The same for taking edge loops out of an asset, which is expected to leave about `expected` triangles.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_loops(
        &self,
        asset: &Asset,
        which: LoopChoice,
        expected: u64,
    ) -> Result<String, StoreError> {
        let recipe = Recipe::take_out_loops(
            &asset.source,
            &asset.preparation,
            which,
            asset.settings.clone(),
        );
        self.ask_for(asset, &Wanted::of(&recipe, expected)).await
    }

    /// The same for a low mesh that was made elsewhere. Its blobs are stored already.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_brought(
        &self,
        asset: &Asset,
        files: Vec<BroughtFile>,
    ) -> Result<String, StoreError> {
        let recipe = Recipe::brought(&asset.source, &asset.preparation, files);
        self.ask_for(asset, &Wanted::of(&recipe, 0)).await
    }

    pub(crate) async fn ask_for(
        &self,
        asset: &Asset,
        wanted: &Wanted<'_>,
    ) -> Result<String, StoreError> {
        let _naming = self.naming().await?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            let hash = ask(&mut tx, asset.id, wanted).await?;
            tx.commit().await?;
            Ok(hash)
        })
        .await
    }

    /// Takes a candidate out of the tray of an asset. False when a tier of its chain or a scene uses it.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn discard(&self, asset: u64, hash: &str) -> Result<bool, StoreError> {
        retrying(|| async {
            let done = sqlx::query(
                "DELETE FROM tray WHERE asset = ? AND candidate = ? AND NOT EXISTS (SELECT 1 FROM chain_tiers l \
                 WHERE l.asset = tray.asset AND l.candidate = tray.candidate) AND NOT EXISTS (SELECT 1 FROM \
                 scene_assets s WHERE s.asset = tray.asset AND s.candidate = tray.candidate)",
            )
            .bind(asset)
            .bind(hash)
            .execute(&self.pool)
            .await?;
            Ok(done.rows_affected() > 0)
        })
        .await
        .inspect(|_| self.blobs.ask_for_collection())
    }

    /// Pins a candidate to the Rule, or takes the pin out.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn pin(&self, asset: u64, hash: &str, pinned: bool) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query("UPDATE tray SET pinned = ? WHERE asset = ? AND candidate = ?")
                .bind(pinned)
                .bind(asset)
                .bind(hash)
                .execute(&self.pool)
                .await?;
            Ok(())
        })
        .await
    }

    /// The tray of an asset, by number.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn tray(&self, asset: u64) -> Result<Vec<Candidate>, StoreError> {
        // Sorted here: sorting joined rows with texts takes the database room on the disk, which may be full.
        let rows = sqlx::query(
            "SELECT c.*, t.number, t.pinned FROM tray t JOIN candidates c ON c.hash = t.candidate WHERE t.asset = ?",
        )
        .bind(asset)
        .fetch_all(&self.pool)
        .await?;
        let mut list = self.candidates(&rows).await?;
        list.sort_by_key(|c| c.number);
        Ok(list)
    }

    /// Candidates of their rows.
    pub(crate) async fn candidates(&self, rows: &[MySqlRow]) -> Result<Vec<Candidate>, StoreError> {
        let hashes: Vec<&str> = rows
            .iter()
            .map(|row| row.try_get("hash"))
            .collect::<Result<_, _>>()?;
        let artefacts = self.artefacts_of(hashes).await?;
        rows.iter()
            .map(|row| Candidate::from_row(row, &artefacts))
            .collect()
    }

    /// The changes of UVs that led to a candidate, first to last.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn uv_steps(&self, hash: &str) -> Result<Vec<UvStep>, StoreError> {
        Ok(self.recipe(hash).await?.uv_steps().cloned().collect())
    }

    /// The recipe that makes a candidate.
    ///
    /// # Errors
    /// [`StoreError::Missing`] and others.
    pub async fn recipe(&self, hash: &str) -> Result<Recipe, StoreError> {
        let row = sqlx::query("SELECT recipe FROM candidates WHERE hash = ?")
            .bind(hash)
            .fetch_optional(&self.pool)
            .await?
            .ok_or_else(|| StoreError::missing("candidate", hash))?;
        let text: String = row.try_get("recipe")?;
        serde_json::from_str(&text).map_err(|e| StoreError::stored("recipe", e))
    }

    /// Says that a candidate is there. Artefacts of `shared` kinds that it has not itself it shares with what it was made of.
    pub(crate) async fn finish_candidate(
        &self,
        hash: &str,
        r: &Finished,
        shared: &[&str],
    ) -> Result<(), StoreError> {
        let report = json(&r.report, "report")?;
        let proof = r.proof.as_ref().map(|p| json(p, "proof")).transpose()?;
        let uv = r.uv.as_ref().map(|uv| json(uv, "uv")).transpose()?;
        let has = |kind: &str| r.artefacts.iter().any(|a| a.kind == kind);
        let lacks: Vec<&str> = shared.iter().copied().filter(|k| !has(k)).collect();
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            artefact::put(&mut tx, hash, &r.artefacts).await?;
            if let Some(other) = &r.shares_with {
                artefact::share(&mut tx, hash, other, &lacks).await?;
            }
            sqlx::query(
                "UPDATE candidates SET state = 'ready', target = IF(target = 0, ?, target), triangles = ?, vertices = ?, report = ?, proof = ?, uv = ?, \
                 fault = NULL WHERE hash = ? AND state <> 'ready'",
            )
            .bind(r.triangles)
            .bind(r.triangles)
            .bind(r.vertices)
            .bind(&report)
            .bind(&proof)
            .bind(&uv)
            .bind(hash)
            .execute(&mut *tx)
            .await?;
            tx.commit().await?;
            Ok(())
        })
        .await
    }

    pub(crate) async fn fail_candidate(&self, hash: &str, fault: &str) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query(
                "UPDATE candidates SET state = 'failed', fault = ? WHERE hash = ? AND state <> 'ready'",
            )
            .bind(short(fault))
            .bind(hash)
            .execute(&self.pool)
            .await?;
            Ok(())
        })
        .await
    }
}
