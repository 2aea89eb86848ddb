//! Makes a change: on a layout apart from the mesh, which is measured before and after.

use std::{collections::BTreeSet, fmt::Write};

use ectome_formats::Scene;
use ectome_mesh::{Mesh, Progress, nearest};
use ectome_uv::{
    arrange::{self, Wishes},
    clear,
    face_graph::{FaceGraph, NONE},
    flatten::Bound,
    join,
    layout::{Layout, Placement},
    measure::{self, Island, Numbers},
    pack::PackError,
    priority,
    unwrap::{self, Ground, Manner, Mark, Options},
};
use glam::{DVec2, Vec3};

use super::{IslandMove, Packing, Spot, Stacks, UvChange, copies::Copies, layout_of};
use crate::{
    EngineError, UvFault,
    figures::{counted, grouped},
};

/// A mesh, its layout, and how it is to be laid out.
pub(super) struct Work<'a> {
    mesh: &'a Mesh,
    packing: &'a Packing,
    /// Where everything lies.
    pub(super) layout: Layout,
    islands: Vec<Island>,
    nearest: nearest::SurfaceIndex,
}

impl<'a> Work<'a> {
    /// Looks at a scene of triangles.
    pub(super) fn new(scene: &'a Scene, packing: &'a Packing) -> Self {
        let mesh = &scene.mesh;
        let layout = layout_of(scene, packing.sheet.sheets);
        Self {
            islands: measure::islands(mesh, &layout),
            nearest: nearest::SurfaceIndex::of(mesh),
            mesh,
            packing,
            layout,
        }
    }

    /// The island at a place.
    fn island(&self, spot: Spot) -> Result<u32, EngineError> {
        let face = self.nearest.nearest(Vec3::from_array(spot)).map(|p| p.face);
        face.map(|f| self.layout.island[f as usize])
            .filter(|&i| i != NONE)
            .ok_or(UvFault::NoIsland.into())
    }

    fn chosen(&self, spots: &[Spot]) -> Result<Vec<u32>, EngineError> {
        let mut list: Vec<u32> = spots
            .iter()
            .map(|&s| self.island(s))
            .collect::<Result<_, _>>()?;
        list.sort_unstable();
        list.dedup();
        Ok(list)
    }

    fn has_uvs(&self) -> Result<(), EngineError> {
        match self.layout.count {
            0 => Err(UvFault::NoUvs.into()),
            _ => Ok(()),
        }
    }

    /// The layout after a change, and what was done in words.
    ///
    /// # Errors
    /// [`EngineError::Uv`], [`EngineError::Pack`], [`EngineError::Cancelled`].
    pub(super) fn changed(
        mut self,
        change: &UvChange,
        progress: &Progress,
    ) -> Result<(Layout, String), EngineError> {
        if !matches!(change, UvChange::Unwrap { .. }) {
            self.has_uvs()?;
        }
        let packs_only = matches!(
            change,
            UvChange::Pack
                | UvChange::TurnOver { .. }
                | UvChange::Separate
                | UvChange::Place { .. }
        );
        if !packs_only && !self.packing.locked.is_empty() {
            return Err(UvFault::Locked.into());
        }
        match change {
            UvChange::Unwrap {
                manner,
                marks,
                only,
            } => self.unwrap(*manner, marks, only, progress),
            UvChange::Split { at } => {
                let chosen = self.chosen(at)?;
                let surface = FaceGraph::of(self.mesh);
                let before = self.layout.count;
                let split = chosen
                    .iter()
                    .filter(|&&i| {
                        join::split(&surface, &mut self.layout, &self.islands[i as usize])
                    })
                    .count();
                let made = self.layout.count - before + split;
                let sentence = format!("{split} islands split into {made}");
                Ok((self.packed(None, progress)?, sentence))
            }
            UvChange::Join { at } => self.join(*at, progress),
            UvChange::Density { texels_per_metre } => {
                let sizes = self.true_to_size(|_| 1.0);
                let scale = texels_per_metre.map(|t| t / f64::from(self.packing.sheet.size));
                let layout = self.sized(sizes, scale, progress)?;
                Ok((layout, "All islands have one texel density".to_owned()))
            }
            UvChange::Priority { at, parts, factor } => {
                if !(0.25..=4.0).contains(factor) {
                    return Err(UvFault::Priority.into());
                }
                let mut chosen = vec![false; self.islands.len()];
                self.chosen(at)?
                    .into_iter()
                    .for_each(|i| chosen[i as usize] = true);
                for (i, island) in self.islands.iter().enumerate() {
                    chosen[i] |= parts.contains(&island.part);
                }
                // Stacked islands go along with the one they lie on.
                let leaders: Vec<usize> = (0..chosen.len())
                    .filter(|&i| chosen[i])
                    .map(|i| self.islands[i].stack as usize)
                    .collect();
                let n = leaders.len();
                for (i, island) in self.islands.iter().enumerate() {
                    chosen[i] |= leaders.contains(&(island.stack as usize));
                }
                let usual = self.usual_density(&chosen);
                let sizes = (0..chosen.len())
                    .map(|i| match chosen[i] {
                        true if self.islands[i].density > 0.0 => {
                            factor * usual / self.islands[i].density
                        }
                        _ => 1.0,
                    })
                    .collect();
                let layout = self.sized(sizes, None, progress)?;
                Ok((
                    layout,
                    format!("{n} islands at ×{factor} of the usual density"),
                ))
            }
            UvChange::SuggestPriorities => {
                let surface = FaceGraph::of(self.mesh);
                let mut factors = priority::suggested(self.mesh, &surface, &self.islands);
                // A stack is worth what its most visible island is.
                for i in 0..factors.len() {
                    let s = self.islands[i].stack as usize;
                    factors[s] = factors[s].max(factors[i]);
                }
                let lowered = factors.iter().filter(|f| **f < 1.0).count();
                let sizes = self.true_to_size(|i| factors[self.islands[i].stack as usize]);
                let layout = self.sized(sizes, None, progress)?;
                Ok((
                    layout,
                    format!("{lowered} islands that are seen less got fewer texels"),
                ))
            }
            UvChange::Pack => {
                let mut layout = self.packed(None, progress)?;
                layout.renumber();
                Ok((layout, "Islands laid out anew".to_owned()))
            }
            UvChange::TurnOver { at } => {
                let chosen = match at.is_empty() {
                    false => self.chosen(at)?,
                    true => self.numbers().inside_out,
                };
                for &i in &chosen {
                    let island = &self.islands[i as usize];
                    let middle = island.low.x + island.high.x;
                    for &f in &island.faces {
                        let uv = &mut self.layout.uv[f as usize];
                        *uv = uv.map(|p| DVec2::new(middle - p.x, p.y));
                    }
                }
                self.islands = measure::islands(self.mesh, &self.layout);
                let sentence = format!("{} islands turned over", chosen.len());
                let faulty = self.numbers().overlapping;
                let layout = match faulty.is_empty() {
                    true => self.layout,
                    false => self.moved_only(&faulty, progress)?,
                };
                Ok((layout, sentence))
            }
            UvChange::Separate => self.separate(progress),
            UvChange::Place { moves, keep_clear } => self.place(moves, *keep_clear),
        }
    }

    /// Puts islands where a person wants them.
    fn place(
        mut self,
        moves: &[IslandMove],
        keep_clear: bool,
    ) -> Result<(Layout, String), EngineError> {
        if moves.is_empty() || !moves.iter().all(IslandMove::is_sound) {
            return Err(UvFault::Move.into());
        }
        let mut touched = BTreeSet::new();
        let (mut pushed, mut stuck) = (0, 0);
        for one in moves {
            let mut chosen = self.chosen(&one.at)?;
            let stacks: Vec<u32> = chosen
                .iter()
                .map(|&i| self.islands[i as usize].stack)
                .collect();
            let along = (0..self.islands.len() as u32)
                .filter(|&i| stacks.contains(&self.islands[i as usize].stack));
            chosen.extend(along);
            chosen.sort_unstable();
            chosen.dedup();
            self.shift(&chosen, one.placement());
            if keep_clear {
                let sheet = &self.packing.sheet;
                match clear::shift(&self.layout, &self.islands, &chosen, sheet) {
                    Some(DVec2::ZERO) => {}
                    Some(by) => {
                        self.shift(&chosen, Placement::STILL.moved(by));
                        pushed += 1;
                    }
                    None => stuck += 1,
                }
            }
            touched.extend(chosen);
        }
        let mut sentence = format!("{} put by hand", counted(touched.len() as u64, "island"));
        if pushed > 0 {
            let times = counted(pushed, "move");
            let _ = write!(sentence, ", {times} set off to keep the padding");
        }
        if stuck > 0 {
            let times = counted(stuck, "move");
            let _ = write!(
                sentence,
                ", {times} left where others or the edge are too near"
            );
        }
        Ok((self.layout, sentence))
    }

    /// Moves some islands on the sheet and measures anew.
    fn shift(&mut self, chosen: &[u32], by: Placement) {
        for &f in chosen.iter().flat_map(|&i| &self.islands[i as usize].faces) {
            let uv = &mut self.layout.uv[f as usize];
            *uv = uv.map(|p| by.of(p));
        }
        self.islands = measure::islands(self.mesh, &self.layout);
    }

    fn numbers(&self) -> Numbers {
        measure::numbers(
            self.mesh,
            &self.layout,
            &self.islands,
            self.packing.sheet.size,
        )
    }

    fn unwrap(
        mut self,
        manner: Manner,
        marks: &[Mark],
        only: &[Spot],
        progress: &Progress,
    ) -> Result<(Layout, String), EngineError> {
        let ground = Ground::of(self.mesh);
        let mut options = Options {
            manner,
            ..Options::default()
        };
        for mark in marks {
            let path = ground.path(mark);
            match mark.seam {
                true => options.seams.extend(path),
                false => options.closed.extend(path),
            }
        }
        // Equal parts, and those that mirror them, are unwrapped once. A mark on one of them means that one, so then each is unwrapped by itself.
        let mirrored = self.packing.stacks == Stacks::Mirrored;
        let copies = match marks.is_empty() && only.is_empty() {
            true => Copies::of(self.mesh, mirrored, progress)?,
            false => Copies::none(self.mesh),
        };
        let chosen = self.chosen(only)?;
        let faces: Vec<u32> = (0..self.mesh.face_count() as u32)
            .filter(|&f| copies.is_first(f))
            .filter(|&f| only.is_empty() || chosen.contains(&self.layout.island[f as usize]))
            .collect();
        let regions = unwrap::unwrap(&ground, faces.clone(), &options, &progress.span(0.0, 0.7))?;
        if only.is_empty() {
            self.layout = Layout::empty(self.mesh.face_count());
        } else {
            // The rest is brought to metres as it is, so that the new islands fit beside it.
            let others: Vec<bool> = (0..self.islands.len() as u32)
                .map(|i| !chosen.contains(&i))
                .collect();
            let scale = 1.0 / self.usual_density(&others.iter().map(|o| !o).collect::<Vec<_>>());
            let to_metres = Placement::turned(0.0, scale);
            self.layout.place(&vec![to_metres; self.islands.len()]);
            for &f in &faces {
                self.layout.island[f as usize] = NONE;
            }
        }
        self.layout.add(&regions);
        copies.lay(self.mesh, &mut self.layout, mirrored);
        let copied = if only.is_empty() { copies.count() } else { 0 };
        let sentence = format!(
            "{} triangles unwrapped into {} islands{}",
            grouped(faces.len() as u64),
            grouped(regions.len() as u64),
            match copied {
                0 => String::new(),
                n => format!(", {} of equal parts like them", grouped(n as u64)),
            }
        );
        let stacked = self.packing.stacks != Stacks::Apart;
        Ok((self.packed_as(None, stacked, progress)?, sentence))
    }

    fn join(mut self, at: [Spot; 2], progress: &Progress) -> Result<(Layout, String), EngineError> {
        let pair = [self.island(at[0])?, self.island(at[1])?];
        if pair[0] == pair[1] {
            return Err(UvFault::OneIsland.into());
        }
        let ground = Ground::of(self.mesh);
        // A person who joins two islands accepts more stretch than unwrapping would.
        let bound = Bound::stretch(1.25, 8.0);
        let joined = join::join(
            &ground.surface,
            &ground.costs,
            &self.layout,
            &self.islands,
            pair,
            bound,
            progress,
        );
        progress.go_on()?;
        let Some(mut region) = joined else {
            return Err(UvFault::NotJoined.into());
        };
        // The new island comes in metres; it goes to the density of the two.
        let density = pair
            .map(|i| self.islands[i as usize].density)
            .iter()
            .sum::<f64>()
            / 2.0;
        region.flat.at.iter_mut().for_each(|p| *p *= density);
        self.layout.add(&[region]);
        Ok((
            self.packed(None, progress)?,
            "Two islands joined".to_owned(),
        ))
    }

    fn separate(mut self, progress: &Progress) -> Result<(Layout, String), EngineError> {
        let numbers = self.numbers();
        // A whole sheet to the side is the same texels of a texture that repeats.
        let mut moved = 0;
        for &i in &numbers.out_of_range {
            let island = &self.islands[i as usize];
            let by = (island.low + 1e-6).floor();
            if ((island.high - by).max_element()) <= 1.0 + 1e-6 {
                for &f in &island.faces {
                    let uv = &mut self.layout.uv[f as usize];
                    *uv = uv.map(|p| p - by);
                }
                moved += 1;
            }
        }
        self.islands = measure::islands(self.mesh, &self.layout);
        let now = self.numbers();
        let mut faulty = [now.out_of_range.clone(), now.overlapping.clone()].concat();
        faulty.sort_unstable();
        faulty.dedup();
        let sentence = format!(
            "{moved} islands moved by whole sheets, {} got places of their own",
            faulty.len()
        );
        let layout = match faulty.is_empty() {
            true => self.layout,
            false => self.moved_only(&faulty, progress)?,
        };
        Ok((layout, sentence))
    }

    /// New places for some islands while the others stay; for all where that leaves no room.
    fn moved_only(&self, some: &[u32], progress: &Progress) -> Result<Layout, EngineError> {
        let wishes = Wishes {
            locked: (0..self.islands.len() as u32)
                .map(|i| !some.contains(&i))
                .collect(),
            scale: Some(1.0),
            ..Wishes::default()
        };
        let sheet = &self.packing.sheet;
        match arrange::pack(
            &self.layout,
            &self.islands,
            &wishes,
            sheet,
            &progress.span(0.7, 0.85),
        ) {
            Ok(layout) => Ok(layout),
            Err(PackError::Cancelled(c)) => Err(c.into()),
            Err(_) => {
                let wishes = Wishes {
                    keep_stacks: self.packing.stacks != Stacks::Apart,
                    ..Wishes::default()
                };
                let progress = progress.span(0.85, 1.0);
                Ok(arrange::pack(
                    &self.layout,
                    &self.islands,
                    &wishes,
                    sheet,
                    &progress,
                )?)
            }
        }
    }

    /// Factors that give every island a density of `factor` in widths of the sheet per metre.
    fn true_to_size(&self, factor: impl Fn(usize) -> f64) -> Vec<f64> {
        (0..self.islands.len())
            .map(|i| match self.islands[i].density {
                d if d > 0.0 => factor(i) / d,
                _ => 1.0,
            })
            .collect()
    }

    /// The density that half of the area is above, islands that are `left_out` aside.
    fn usual_density(&self, left_out: &[bool]) -> f64 {
        let mut list: Vec<(f64, f64)> = self
            .islands
            .iter()
            .zip(left_out)
            .filter(|(_, out)| !**out)
            .map(|(i, _)| (i.density, i.area_m2))
            .collect();
        if list.is_empty() {
            list = self
                .islands
                .iter()
                .map(|i| (i.density, i.area_m2))
                .collect();
        }
        list.sort_unstable_by(|a, b| a.0.total_cmp(&b.0));
        let half = 0.5 * list.iter().map(|l| l.1).sum::<f64>();
        let mut sum = 0.0;
        for (density, area) in &list {
            sum += area;
            if sum >= half {
                return density.max(1e-12);
            }
        }
        1.0
    }

    fn sized(
        self,
        sizes: Vec<f64>,
        scale: Option<f64>,
        progress: &Progress,
    ) -> Result<Layout, EngineError> {
        let stacked = self
            .islands
            .iter()
            .enumerate()
            .any(|(i, s)| s.stack != i as u32);
        let wishes = Wishes {
            sizes,
            locked: Vec::new(),
            // What is stacked stays so: nobody asked to take it apart.
            keep_stacks: stacked,
            by_part: self.packing.by_part,
            scale,
        };
        self.arranged(&wishes, progress)
    }

    fn packed(mut self, scale: Option<f64>, progress: &Progress) -> Result<Layout, EngineError> {
        if self.packing.stacks != Stacks::Apart {
            let mirrored = self.packing.stacks == Stacks::Mirrored;
            let copies = Copies::of(self.mesh, mirrored, progress)?;
            copies.lay(self.mesh, &mut self.layout, mirrored);
        }
        let keep = self.packing.stacks != Stacks::Apart;
        self.packed_as(scale, keep, progress)
    }

    fn packed_as(
        mut self,
        scale: Option<f64>,
        keep_stacks: bool,
        progress: &Progress,
    ) -> Result<Layout, EngineError> {
        self.layout.renumber();
        self.islands = measure::islands(self.mesh, &self.layout);
        let mut locked = vec![false; self.islands.len()];
        for i in self.chosen(&self.packing.locked)? {
            let stack = self.islands[i as usize].stack;
            for (k, island) in self.islands.iter().enumerate() {
                locked[k] |= island.stack == stack;
            }
        }
        let wishes = Wishes {
            sizes: Vec::new(),
            scale: scale.or(self.packing.keep_size.then_some(1.0)),
            locked,
            keep_stacks,
            by_part: self.packing.by_part,
        };
        self.arranged(&wishes, progress)
    }

    fn arranged(&self, wishes: &Wishes, progress: &Progress) -> Result<Layout, EngineError> {
        progress.stage("Packing");
        let sheet = &self.packing.sheet;
        let packed = arrange::pack(
            &self.layout,
            &self.islands,
            wishes,
            sheet,
            &progress.span(0.7, 0.98),
        );
        match packed {
            Err(PackError::TooDense { .. }) => {
                // What would fit is worth knowing.
                let free = Wishes {
                    scale: None,
                    ..wishes.clone()
                };
                let most = arrange::pack(&self.layout, &self.islands, &free, sheet, progress)
                    .ok()
                    .map(|l| {
                        let islands = measure::islands(self.mesh, &l);
                        measure::numbers(self.mesh, &l, &islands, sheet.size).texels_per_metre
                    });
                Err(UvFault::TooDense {
                    sheets: sheet.sheets,
                    size: sheet.size,
                    most,
                }
                .into())
            }
            other => Ok(other?),
        }
    }
}
