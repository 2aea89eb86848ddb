//! Steps in order, and the address of what they make.

use ectome_mesh::Mesh;
use ectome_reduce::{Attention, Faces, Keep, Options, loops::Which};
use glam::Vec3;
use serde::{Deserialize, Serialize, de::DeserializeOwned};
use serde_json::{Map, Value, json};

use crate::{
    Change, UvStep,
    far_end::{CardSettings, HullSettings},
    maps::BakeSettings,
    merge::MergeSettings,
    rebuild::RebuildSettings,
    step::{
        Bake, Bring, BroughtFile, Cards, Cut, Hull, Import, LeaveOut, Merge, MergeFlat, Nature,
        Operation, Prepare, Rebuild, Step, TakeOutLoops, Triangulate, Uv,
    },
};

/// How far a cut goes.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Target {
    /// At most so many triangles.
    Triangles(u32),
    /// At most this share of the source, in percent.
    SharePercent(f64),
    /// As few as hold this largest deviation, in millimetres.
    WithinMm(f64),
}

impl Target {
    /// The target in triangles for a source of `triangles`; all of them where only the cut itself can tell.
    pub fn triangles(self, source: usize) -> usize {
        match self {
            Self::Triangles(n) => n as usize,
            Self::SharePercent(share) => (source as f64 * share / 100.0).floor() as usize,
            Self::WithinMm(_) => source,
        }
    }
}

/// A ball in space, in metres.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Ball {
    /// Its middle.
    pub at: [f32; 3],
    /// Its radius.
    pub radius: f32,
}

/// A region of the surface, painted or picked as balls.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Region {
    /// What is inside any of them is protected.
    pub balls: Vec<Ball>,
    /// Everything else is protected instead.
    pub inverse: bool,
    /// How much: 1 never moves, less costs more.
    pub weight: f32,
}

impl Default for Region {
    fn default() -> Self {
        Self {
            balls: Vec::new(),
            inverse: false,
            weight: 1.0,
        }
    }
}

impl Region {
    /// The protection of each point; empty when there is no region.
    pub fn weights(&self, points: &[Vec3]) -> Vec<f32> {
        if self.balls.is_empty() {
            return Vec::new();
        }
        let inside = |p: Vec3| {
            self.balls
                .iter()
                .any(|b| p.distance(b.at.into()) <= b.radius)
        };
        points
            .iter()
            .map(|&p| {
                if inside(p) != self.inverse {
                    self.weight.clamp(0.0, 1.0)
                } else {
                    0.0
                }
            })
            .collect()
    }
}

/// What a cut keeps and looks at most.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct CutSettings {
    /// Lines that must not move.
    pub keep: Keep,
    /// Shares of the error.
    pub attention: Attention,
    /// A protected region.
    pub region: Region,
    /// Parts that are equal are cut once and put back as copies.
    pub reuse_repeats: bool,
    /// Parts that are their own mirror image are cut as one half and mirrored.
    pub reuse_halves: bool,
    /// Small parts and materials may go as a whole.
    pub let_parts_go: bool,
}

impl Default for CutSettings {
    fn default() -> Self {
        Self {
            keep: Keep::default(),
            attention: Attention::default(),
            region: Region::default(),
            reuse_repeats: true,
            reuse_halves: false,
            let_parts_go: false,
        }
    }
}

impl CutSettings {
    /// As the kernel takes them.
    pub fn options(&self, mesh: &Mesh) -> Options {
        Options {
            keep: self.keep,
            attention: self.attention,
            protect: self.region.weights(&mesh.points),
            flat_only: false,
            flat_within_m: 0.0,
            let_parts_go: self.let_parts_go,
        }
    }
}

/// Steps on a source.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Recipe {
    /// The content hash of the source's files.
    pub source: String,
    /// The steps, first to last.
    pub steps: Vec<Step>,
}

impl Recipe {
    /// The source with changes, quads and n-gons as they are, every part still there.
    pub fn prepared(source: impl Into<String>, changes: &[Change]) -> Self {
        let change = |c: &Change| Step::from(Prepare { change: c.clone() });
        Self {
            source: source.into(),
            steps: std::iter::once(Import {}.into())
                .chain(changes.iter().map(change))
                .collect(),
        }
    }

    /// The same with only the parts that are built.
    fn built(source: impl Into<String>, changes: &[Change]) -> Self {
        let mut recipe = Self::prepared(source, changes);
        if changes.iter().any(Change::leaves_parts_out) {
            recipe.steps.push(LeaveOut {}.into());
        }
        recipe
    }

    /// The prepared source cut to a target.
    pub fn cut(
        source: impl Into<String>,
        changes: &[Change],
        target: Target,
        settings: CutSettings,
    ) -> Self {
        let mut recipe = Self::built(source, changes);
        recipe.steps.push(Triangulate {}.into());
        recipe.continued(target, settings)
    }

    /// The prepared source as it is, in triangles.
    pub fn whole(source: impl Into<String>, changes: &[Change]) -> Self {
        let mut recipe = Self::built(source, changes);
        recipe.steps.push(Triangulate {}.into());
        recipe
    }

    /// The prepared source with one closed skin over it.
    pub fn rebuilt(
        source: impl Into<String>,
        changes: &[Change],
        rebuild: RebuildSettings,
    ) -> Self {
        let mut recipe = Self::built(source, changes);
        recipe.steps.push(Rebuild { rebuild }.into());
        recipe
    }

    /// Convex hulls over the prepared source.
    pub fn hulls(source: impl Into<String>, changes: &[Change], hull: HullSettings) -> Self {
        let mut recipe = Self::built(source, changes);
        recipe.steps.push(Hull { hull }.into());
        recipe
    }

    /// Cards in the place of the prepared source.
    pub fn cards(source: impl Into<String>, changes: &[Change], cards: CardSettings) -> Self {
        let mut recipe = Self::built(source, changes);
        recipe.steps.push(Cards { cards }.into());
        recipe
    }

    /// What this recipe makes, cut further.
    #[must_use]
    pub fn continued(mut self, target: Target, settings: CutSettings) -> Self {
        self.steps.push(Cut { target, settings }.into());
        self
    }

    /// What this recipe makes, with other UVs.
    #[must_use]
    pub fn with_uvs(mut self, uv: UvStep) -> Self {
        self.steps.push(Uv { uv }.into());
        self
    }

    /// The same with its materials merged.
    #[must_use]
    pub fn with_merged_materials(mut self, merge: MergeSettings) -> Self {
        self.steps.push(Merge { merge }.into());
        self
    }

    /// What this recipe makes, with maps baked from its source; they take the place of those that it ends with.
    #[must_use]
    pub fn with_maps(mut self, mut bake: BakeSettings) -> Self {
        bake.sheets = crate::sheets::count(&self);
        if let Some(Step::Bake(_)) = self.steps.last() {
            self.steps.pop();
        }
        self.steps.push(Bake { bake }.into());
        self
    }

    /// The prepared source, for which a low mesh stands that was made elsewhere.
    pub fn brought(source: impl Into<String>, changes: &[Change], files: Vec<BroughtFile>) -> Self {
        let mut recipe = Self::built(source, changes);
        recipe.steps.push(Bring { files }.into());
        recipe
    }

    /// The files that it brings.
    pub fn brought_files(&self) -> impl Iterator<Item = &BroughtFile> {
        self.steps.iter().flat_map(|step| match step {
            Step::Bring(step) => &step.files[..],
            _ => &[],
        })
    }

    /// How the maps are baked that it ends with.
    pub fn own_bake(&self) -> Option<&BakeSettings> {
        match self.steps.last() {
            Some(Step::Bake(step)) => Some(&step.bake),
            _ => None,
        }
    }

    /// How its maps are baked, if it bakes.
    pub fn bake(&self) -> Option<&BakeSettings> {
        self.steps.iter().rev().find_map(|step| match step {
            Step::Bake(step) => Some(&step.bake),
            _ => None,
        })
    }

    /// True when the last step leaves the surface of an earlier candidate as it is: the result stands for that one.
    pub fn dresses(&self) -> bool {
        self.steps
            .last()
            .is_some_and(|s| s.nature() == Nature::Dresses)
    }

    /// The same on another preparation of the source, or on another source.
    #[must_use]
    pub fn prepared_as(&self, source: impl Into<String>, changes: &[Change]) -> Self {
        let prepares =
            |s: &&Step| matches!(s, Step::Import(_) | Step::Prepare(_) | Step::LeaveOut(_));
        let mut recipe = Self::built(source, changes);
        let own = self.steps.iter().skip_while(prepares);
        recipe.steps.extend(own.cloned());
        recipe
    }

    /// The key of the source as this recipe prepares it.
    pub fn prepared_key(&self) -> String {
        Self::prepared(&self.source, &self.changes()).key()
    }

    /// What its last step was asked for, in words. Not the splitting into triangles: who asks for that wants the source as it is.
    pub fn wish(&self) -> String {
        match self.steps.last() {
            None | Some(Step::Triangulate(_)) => "Taking the source as it is".to_owned(),
            Some(step) => step.wish(),
        }
    }

    /// The changes of UVs, first to last.
    pub fn uv_steps(&self) -> impl DoubleEndedIterator<Item = &UvStep> {
        self.steps.iter().filter_map(|step| match step {
            Step::Uv(step) => Some(&step.uv),
            _ => None,
        })
    }

    /// The prepared source with what is flat within so many millimetres merged, and left in such faces.
    pub fn merge_flat(
        source: impl Into<String>,
        changes: &[Change],
        settings: CutSettings,
        within_mm: f64,
        faces: Faces,
    ) -> Self {
        let mut recipe = Self::built(source, changes);
        recipe.steps.push(Triangulate {}.into());
        let merge = MergeFlat {
            settings,
            within_mm,
            faces,
        };
        recipe.steps.push(merge.into());
        recipe
    }

    /// The prepared source with edge loops taken out, quads as they came.
    pub fn take_out_loops(
        source: impl Into<String>,
        changes: &[Change],
        which: Which,
        settings: CutSettings,
    ) -> Self {
        let mut recipe = Self::built(source, changes);
        recipe.steps.push(TakeOutLoops { which, settings }.into());
        recipe
    }

    /// The address of the analysis that the last cut of this recipe replays: every target of one
    /// source with the same settings shares it.
    pub fn analysis_key(&self) -> Option<String> {
        let at = self.steps.iter().rposition(|s| s.analysis().is_some())?;
        let step = &self.steps[at];
        let settings = step.analysis()?;
        let before: Vec<Value> = self.steps[..at].iter().map(identity).collect();
        let own = json!(["analysis", step.version(), essence(settings)]);
        Some(hash(&json!([self.source, before, own])))
    }

    /// The address of what this recipe makes: a hash of the source and, for each step, its version and those of its parameters
    /// that are not as they would be if nobody gave them. So an option that is new and left alone moves no address.
    pub fn key(&self) -> String {
        let steps: Vec<Value> = self.steps.iter().map(identity).collect();
        hash(&json!([self.source, steps]))
    }

    /// The changes it makes before anything is cut.
    pub fn changes(&self) -> Vec<Change> {
        let change = |s: &Step| match s {
            Step::Prepare(step) => Some(step.change.clone()),
            _ => None,
        };
        self.steps.iter().filter_map(change).collect()
    }

    /// The target of the last cut, if there is one.
    pub fn target(&self) -> Option<Target> {
        self.steps.iter().rev().find_map(|step| match step {
            Step::Cut(step) => Some(step.target),
            _ => None,
        })
    }
}

/// What tells one step from another.
fn identity(step: &Step) -> Value {
    json!([step.version(), essence(step)])
}

/// The parameters that matter: one that may be left out without anything else being read is left out.
fn essence<T: Serialize + DeserializeOwned + PartialEq>(of: &T) -> Value {
    let Ok(mut whole) = serde_json::to_value(of) else {
        return Value::Null;
    };
    let reads_the_same = |v: &Value| T::deserialize(v).is_ok_and(|read| read == *of);
    prune(&mut Vec::new(), &mut whole, &reads_the_same);
    whole
}

/// Takes out of the object at `path` in `whole` what `same` does not miss, whole fields first, then what is in them.
fn prune(path: &mut Vec<String>, whole: &mut Value, same: &dyn Fn(&Value) -> bool) {
    fn at<'v>(whole: &'v mut Value, path: &[String]) -> Option<&'v mut Map<String, Value>> {
        let of = path.iter().try_fold(whole, |v, key| v.get_mut(key))?;
        of.as_object_mut()
    }
    let Some(object) = at(whole, path) else {
        return;
    };
    let fields: Vec<String> = object.keys().cloned().collect();
    for field in fields {
        let taken = at(whole, path).and_then(|o| o.remove(&field));
        if same(whole) {
            continue;
        }
        if let (Some(object), Some(value)) = (at(whole, path), taken) {
            object.insert(field.clone(), value);
        }
        path.push(field);
        prune(path, whole, same);
        path.pop();
    }
}

fn hash(value: &Value) -> String {
    blake3::hash(value.to_string().as_bytes()).to_hex()[..32].to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_recipe_survives_json_and_keeps_its_address() {
        let recipe = Recipe::cut(
            "abc",
            &[],
            Target::SharePercent(2.5),
            CutSettings::default(),
        );
        let json = serde_json::to_string(&recipe).unwrap();
        let back: Recipe = serde_json::from_str(&json).unwrap();
        assert_eq!(back, recipe);
        assert_eq!(back.key(), recipe.key());
        assert_eq!(recipe.key().len(), 32);
    }

    #[test]
    fn targets_share_an_analysis_and_settings_do_not() {
        let of = |n, settings| Recipe::cut("abc", &[], Target::Triangles(n), settings);
        let plain = of(10, CutSettings::default());
        let other = of(20, CutSettings::default());
        assert_ne!(plain.key(), other.key());
        assert_eq!(plain.analysis_key(), other.analysis_key());
        let mut kept = CutSettings::default();
        kept.keep.seams = true;
        assert_ne!(plain.analysis_key(), of(10, kept).analysis_key());
        assert_eq!(Recipe::prepared("abc", &[]).analysis_key(), None);
    }

    #[test]
    fn a_region_and_its_inverse_protect_everything_once() {
        let points = [Vec3::ZERO, Vec3::X, Vec3::new(0.0, 3.0, 0.0)];
        let mut region = Region {
            balls: vec![Ball {
                at: [0.0; 3],
                radius: 1.5,
            }],
            ..Region::default()
        };
        let inside = region.weights(&points);
        region.inverse = true;
        let outside = region.weights(&points);
        assert_eq!(inside, [1.0, 1.0, 0.0]);
        assert!(inside.iter().zip(&outside).all(|(a, b)| a + b == 1.0));
    }

    #[test]
    fn a_share_never_rounds_above_itself() {
        assert_eq!(Target::SharePercent(1.0).triangles(1_234), 12);
        assert_eq!(Target::Triangles(700).triangles(5), 700);
    }
}
