//! Which parts of the source each part of the low mesh is baked from.

use std::collections::HashMap;

use ectome_bake::Matching;
use ectome_mesh::{Fate, Mesh, nearest};
use serde::{Deserialize, Serialize};

/// Which parts of the source a part of the low mesh is baked from.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum From {
    /// Each from the parts of its name, whatever marks high and low behind it; what has none of its name from everything.
    #[default]
    SameName,
    /// Each from the parts of its group; what is in no group by its name.
    SameGroup,
    /// From everything: neighbours may bleed.
    Everything,
}

/// What marks the heavy object of a pair behind their common name, and what the low one (common practice, no published source).
const HIGH: [&str; 4] = ["high", "hi", "hp", "highpoly"];
const LOW: [&str; 4] = ["low", "lo", "lp", "lowpoly"];

/// Which of a pair a name marks.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Mark {
    /// The heavy one.
    High,
    /// The low one, or a tier.
    Low,
}

/// A name without what marks high, low or a tier, in small letters; and that mark.
pub fn marked(name: &str) -> (String, Option<Mark>) {
    let name = name.trim().to_lowercase();
    let Some((before, last)) = name.rsplit_once(['_', '-', '.', ' ']) else {
        return (name, None);
    };
    let tier = last
        .strip_prefix("lod")
        .is_some_and(|n| n.bytes().all(|b| b.is_ascii_digit()));
    let mark = match last {
        last if HIGH.contains(&last) => Some(Mark::High),
        last if tier || LOW.contains(&last) => Some(Mark::Low),
        _ => None,
    };
    if mark.is_some() && !before.is_empty() {
        (before.to_owned(), mark)
    } else {
        (name, None)
    }
}

/// A name without its mark.
fn stem(name: &str) -> String {
    marked(name).0
}

/// Points of a part that is only for the maps, by which it is told what it stands on.
const ASKED: usize = 64;
/// So large a share of them has to agree.
const AGREE: f32 = 0.8;

/// The parts of both, numbered so that those that belong together have one number. What is only for the maps belongs to the part
/// it stands on; where it stands on several, to all.
pub(super) fn of(source: &Mesh, low: &Mesh, from: From) -> Matching {
    let there = source.triangles_per_part();
    let several = there.iter().filter(|&&n| n > 0).count() > 1;
    if from == From::Everything || !several {
        return Matching::All;
    }
    let key = |mesh: &Mesh, p: usize| {
        let part = &mesh.parts[p];
        match from {
            From::SameGroup if !part.group.is_empty() => format!("group {}", part.group),
            _ => format!("part {}", stem(&part.name)),
        }
    };
    let mut numbers: HashMap<String, u32> = HashMap::new();
    let mut own = vec![Matching::ANY; source.parts.len()];
    for (p, number) in own.iter_mut().enumerate() {
        if there[p] > 0 && source.parts[p].fate != Fate::Imprint {
            let next = numbers.len() as u32;
            *number = *numbers.entry(key(source, p)).or_insert(next);
        }
    }
    let numbered = |p: usize| numbers.get(&key(low, p)).copied().unwrap_or(Matching::ANY);
    let wanted: Vec<u32> = (0..low.parts.len()).map(numbered).collect();
    stand(source, low, &wanted, &mut own);
    Matching::Groups {
        low: wanted,
        source: own,
    }
}

/// Gives parts that are only for the maps the number of what they stand on.
fn stand(source: &Mesh, low: &Mesh, wanted: &[u32], own: &mut [u32]) {
    if source.parts.iter().all(|p| p.fate != Fate::Imprint) {
        return;
    }
    let surface = nearest::SurfaceIndex::of(low);
    let part_of_face = low.part_of_faces();
    for (p, number) in own
        .iter_mut()
        .enumerate()
        .filter(|(p, _)| source.parts[*p].fate == Fate::Imprint)
    {
        let runs = source.runs.iter().filter(|r| r.part as usize == p);
        let faces: Vec<u32> = runs.flat_map(|r| r.faces.clone()).collect();
        let step = faces.len().div_ceil(ASKED).max(1);
        let mut votes: HashMap<u32, usize> = HashMap::new();
        let asked: Vec<u32> = faces.into_iter().step_by(step).collect();
        for &f in &asked {
            let [a, b, c] = source.triangle(f as usize);
            if let Some(near) = surface.nearest((a + b + c) / 3.0) {
                *votes
                    .entry(wanted[part_of_face[near.face as usize] as usize])
                    .or_default() += 1;
            }
        }
        let most = votes
            .into_iter()
            .max_by_key(|&(number, n)| (n, std::cmp::Reverse(number)));
        if let Some((found, n)) = most
            && n as f32 >= AGREE * asked.len() as f32
        {
            *number = found;
        }
    }
}

#[cfg(test)]
mod tests {
    use ectome_mesh::{MeshBuilder, Primitive, shapes};
    use glam::{Affine3A, Vec3};
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("Hatch_high", "hatch")]
    #[case("hatch_LOD2", "hatch")]
    #[case("hatch.low", "hatch")]
    #[case("high", "high")]
    #[case("_low", "_low")]
    #[case("hollow", "hollow")]
    #[case("left hand", "left hand")]
    fn pairs_are_told_by_what_is_before_their_mark(#[case] name: &str, #[case] want: &str) {
        assert_eq!(stem(name), want);
    }

    fn balls(list: &[(&str, f32, f32)]) -> Mesh {
        let mut builder = MeshBuilder::new();
        for &(name, x, size) in list {
            let ball = shapes::icosphere(size, 1);
            let places = ball
                .vertex_point
                .iter()
                .map(|&p| ball.points[p as usize] + Vec3::X * x);
            builder.part(name, Affine3A::IDENTITY).primitive(Primitive {
                positions: places.collect(),
                corners: ball.corners,
                ..Primitive::default()
            });
        }
        builder.finish()
    }

    /// A bolt on the lid shows on the lid only, one across both on both; a part whose name the source lacks is baked from all.
    #[test]
    fn what_is_only_for_the_maps_goes_with_what_it_stands_on() {
        let mut source = balls(&[
            ("lid_high", 0.0, 1.0),
            ("drum_high", 2.2, 1.0),
            ("bolt", -1.0, 0.1),
            ("gasket", 1.1, 0.3),
        ]);
        source.parts[2].fate = Fate::Imprint;
        source.parts[3].fate = Fate::Imprint;
        let low = balls(&[
            ("lid_low", 0.0, 1.0),
            ("drum_low", 2.2, 1.0),
            ("foot", 5.0, 1.0),
        ]);
        let Matching::Groups {
            low: wanted,
            source: own,
        } = of(&source, &low, From::SameName)
        else {
            panic!("not matched")
        };
        assert_eq!(wanted, [0, 1, Matching::ANY]);
        assert_eq!(own, [0, 1, 0, Matching::ANY]);
        assert_eq!(of(&source, &low, From::Everything), Matching::All);
        source
            .parts
            .iter_mut()
            .for_each(|p| p.group = "all".to_owned());
        let mut low = low;
        low.parts
            .iter_mut()
            .for_each(|p| p.group = "all".to_owned());
        let Matching::Groups { low: wanted, .. } = of(&source, &low, From::SameGroup) else {
            panic!("not matched")
        };
        assert_eq!(wanted, [0, 0, 0]);
    }
}
