//! Parts are split, joined, named and given a fate.
//!
//! A part keeps its number through all of it: what a split adds comes at the end of the list, and what a
//! join empties stays listed without faces. So steps of a recipe can go by number.

use std::collections::HashMap;

use ectome_mesh::{Fate, Mesh, Part, edges::pieces, edit};
use serde::{Deserialize, Serialize};
use thiserror::Error;

/// What a part is split by.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum By {
    /// Faces that hang together stay together.
    Pieces,
    /// Faces of one material stay together.
    Material,
}

/// A part that is not there.
#[derive(Clone, Copy, Debug, Error, PartialEq, Eq)]
#[error("part {part} is not there: the mesh has {count}")]
pub struct NoSuchPart {
    /// The number asked for.
    pub part: u32,
    /// How many there are.
    pub count: usize,
}

/// Checks part numbers.
///
/// # Errors
/// [`NoSuchPart`] for the first that is out of range.
pub fn check(mesh: &Mesh, parts: &[u32]) -> Result<(), NoSuchPart> {
    match parts.iter().find(|&&p| p as usize >= mesh.parts.len()) {
        None => Ok(()),
        Some(&part) => Err(NoSuchPart {
            part,
            count: mesh.parts.len(),
        }),
    }
}

/// Splits a part. Its first piece keeps its number and name; the others are numbered on from the end of the
/// list and named `name 2`, `name 3` …. `name_of` names a material. Returns how many parts were added.
///
/// # Errors
/// [`NoSuchPart`].
pub fn split(
    mesh: &Mesh,
    part: u32,
    by: By,
    name_of: impl Fn(u32) -> String,
) -> Result<(Mesh, usize), NoSuchPart> {
    check(mesh, &[part])?;
    let old = mesh.part_of_faces();
    let run = mesh.run_of_faces();
    let key: Vec<u32> = match by {
        By::Pieces => pieces(mesh).0,
        By::Material => run
            .iter()
            .map(|&r| mesh.runs[r as usize].material.unwrap_or(u32::MAX))
            .collect(),
    };
    let mut parts = mesh.parts.clone();
    let mut number: HashMap<u32, u32> = HashMap::new();
    let own = mesh.parts[part as usize].clone();
    for f in (0..old.len()).filter(|&f| old[f] == part) {
        if number.contains_key(&key[f]) {
            continue;
        }
        let n = number.len();
        let at = match n {
            0 => part,
            _ => parts.len() as u32,
        };
        number.insert(key[f], at);
        let name = match (by, key[f]) {
            (By::Material, m) if m != u32::MAX && !name_of(m).is_empty() => {
                format!("{} {}", own.name, name_of(m))
            }
            _ if n == 0 => own.name.clone(),
            _ => format!("{} {}", own.name, n + 1),
        };
        let new = Part {
            name,
            ..own.clone()
        };
        match n {
            0 => parts[part as usize] = new,
            _ => parts.push(new),
        }
    }
    let added = parts.len() - mesh.parts.len();
    if added == 0 {
        return Ok((mesh.clone(), 0));
    }
    let out = edit::regrouped(mesh, parts, |f| {
        if old[f] == part {
            number[&key[f]]
        } else {
            old[f]
        }
    });
    Ok((out, added))
}

/// Makes several parts one, under the number of the first.
///
/// # Errors
/// [`NoSuchPart`].
pub fn join(mesh: &Mesh, list: &[u32], name: &str) -> Result<Mesh, NoSuchPart> {
    check(mesh, list)?;
    let Some(&first) = list.first() else {
        return Ok(mesh.clone());
    };
    let old = mesh.part_of_faces();
    let mut parts = mesh.parts.clone();
    name.clone_into(&mut parts[first as usize].name);
    Ok(edit::regrouped(mesh, parts, |f| {
        if list.contains(&old[f]) {
            first
        } else {
            old[f]
        }
    }))
}

/// Drops the faces of parts that are not built; their numbers stay.
pub fn only_built(mesh: &Mesh) -> Mesh {
    if mesh.parts.iter().all(|p| p.fate == Fate::Build) {
        return mesh.clone();
    }
    let part = mesh.part_of_faces();
    edit::kept(mesh, |f| mesh.parts[part[f] as usize].fate == Fate::Build)
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive, shapes};
    use glam::{Affine3A, Vec3};

    fn two_balls() -> Mesh {
        let mut builder = MeshBuilder::new();
        builder.part("lamp", Affine3A::IDENTITY);
        for (material, x) in [(0, 0.0), (1, 3.0), (0, 6.0)] {
            let ball = shapes::icosphere(1.0, 1);
            builder.primitive(Primitive {
                positions: ball
                    .vertex_point
                    .iter()
                    .map(|&p| ball.points[p as usize] + Vec3::X * x)
                    .collect(),
                corners: ball.corners,
                material: Some(material),
                ..Primitive::default()
            });
        }
        builder.finish()
    }

    #[test]
    fn splitting_and_joining_again_loses_nothing() {
        let mesh = two_balls();
        let (split_up, added) = split(&mesh, 0, By::Pieces, |_| String::new()).unwrap();
        split_up.check().unwrap();
        assert_eq!(added, 2);
        assert_eq!(split_up.triangles_per_part(), [80, 80, 80]);
        assert_eq!(split_up.parts[2].name, "lamp 3");
        let joined = join(&split_up, &[0, 1, 2], "lamp").unwrap();
        assert_eq!(joined.triangles_per_part(), [240, 0, 0]);
        assert_eq!(joined.points, mesh.points);
    }

    #[test]
    fn materials_name_the_parts_they_make() {
        let name = |m: u32| ["brass", "glass"][m as usize].to_owned();
        let (parts, added) = split(&two_balls(), 0, By::Material, name).unwrap();
        assert_eq!((added, parts.triangles_per_part()), (1, vec![160, 80]));
        assert_eq!(parts.parts[1].name, "lamp glass");
        assert!(split(&parts, 9, By::Pieces, name).is_err());
    }

    #[test]
    fn only_what_is_built_is_left() {
        let (mut mesh, _) = split(&two_balls(), 0, By::Pieces, |_| String::new()).unwrap();
        mesh.parts[0].fate = Fate::Imprint;
        mesh.parts[2].fate = Fate::Omit;
        assert_eq!(only_built(&mesh).triangles_per_part(), [0, 80, 0]);
    }
}
