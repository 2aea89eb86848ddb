//! A change is made, and says in a sentence what it did.

use ectome_formats::Scene;
use ectome_intake::{
    parts::{arrange, hidden},
    repair::{
        clip, degenerate, duplicate, floaters, holes, looks, manifold, polygons, weld, winding,
    },
};
use ectome_mesh::{Fate, Progress};

use super::{Change, Done};
use crate::EngineError;

impl Change {
    /// Makes the change. What is left must have faces.
    ///
    /// # Errors
    /// See [`EngineError`].
    pub fn apply(
        &self,
        mut scene: Scene,
        progress: &Progress,
    ) -> Result<(Scene, Done), EngineError> {
        self.check()?;
        if let Self::Measure { space } = self {
            let motion = space.to_scene();
            let copies = scene.copies.iter_mut();
            copies.for_each(|c| c.motion = motion * c.motion * motion.inverse());
        }
        let (mesh, done) = self.changed(&scene, progress)?;
        if let Self::LeaveOutUvs { keep } = self {
            scene.library = scene.library.with_uv_sets(*keep);
        }
        if mesh.face_count() == 0 {
            return Err(EngineError::NothingLeft { by: self.title() });
        }
        scene.mesh = mesh;
        Ok((scene, done))
    }

    fn changed(
        &self,
        scene: &Scene,
        progress: &Progress,
    ) -> Result<(ectome_mesh::Mesh, Done), EngineError> {
        let mesh = &scene.mesh;
        Ok(match self {
            Self::Measure { space } => {
                let sentence = format!(
                    "Read with {} m to the unit, {} up",
                    space.unit_m,
                    match space.up {
                        ectome_formats::Up::X => "X",
                        ectome_formats::Up::Y => "Y",
                        ectome_formats::Up::Z => "Z",
                    }
                );
                (space.applied(mesh), Done::new(mesh.points.len(), sentence))
            }
            Self::Weld { how } => {
                let (out, d) = weld::weld(mesh, how);
                let faces = match d.faces {
                    0 => String::new(),
                    n => format!(", and {n} faces that had no area left"),
                };
                let s = format!(
                    "{} points and {} vertices joined{faces}",
                    d.points, d.vertices
                );
                (out, Done::new(d.points.max(d.vertices), s))
            }
            Self::DropDegenerate => {
                let n = degenerate::find(mesh).iter().filter(|&&f| f).count();
                let (out, _) = degenerate::drop_degenerate(mesh);
                (
                    out,
                    Done::new(n, format!("{n} faces without area taken out")),
                )
            }
            Self::DropDuplicates { either_way } => {
                let (out, n) = duplicate::drop_duplicates(mesh, *either_way);
                (out, Done::new(n, format!("{n} duplicate faces dropped")))
            }
            Self::MakeOutward => {
                let (out, d) = winding::make_outward(mesh, progress)?;
                let pieces = match d.pieces {
                    0 => String::new(),
                    n => format!(", {n} pieces as a whole"),
                };
                let one = match d.one_sided {
                    0 => String::new(),
                    n => format!("; {n} edges belong to surfaces with one side only"),
                };
                let s = format!("{} faces turned{pieces}{one}", d.faces);
                (out, Done::new(d.faces, s))
            }
            Self::SplitNonManifold => {
                let (out, d) = manifold::split(mesh);
                let s = format!("{} edges taken apart, {} points added", d.edges, d.points);
                (out, Done::new(d.points, s))
            }
            Self::CloseHoles { size_m } => {
                let (out, d) = holes::close_up_to(mesh, *size_m);
                let open = match d.open {
                    0 => String::new(),
                    1 => format!(", one stays open, {} across", across(d.smallest_open_m)),
                    n => format!(
                        ", {n} stay open, the smallest {} across",
                        across(d.smallest_open_m)
                    ),
                };
                let s = format!(
                    "{} holes closed with {} triangles{open}",
                    d.holes, d.triangles
                );
                (out, Done::new(d.holes, s))
            }
            Self::DropFloaters { size_m } => {
                let (out, d) = floaters::drop_below(mesh, *size_m);
                let s = format!(
                    "{} loose pieces dropped, {} triangles",
                    d.pieces, d.triangles
                );
                (out, Done::new(d.pieces, s))
            }
            Self::DivideNgons { into } => {
                let (out, d) = polygons::divide(mesh, *into);
                let s = format!(
                    "{} n-gons divided into {} quads and {} triangles",
                    d.ngons, d.quads, d.triangles
                );
                (out, Done::new(d.ngons, s))
            }
            Self::Clip { plane, cap } => {
                let (out, d) = clip::clip(mesh, plane, *cap);
                let closed = match d.outlines {
                    0 => String::new(),
                    n => format!(", {n} outlines closed with {} triangles", d.cap),
                };
                let s = format!("{} triangles clipped off{closed}", d.removed);
                (out, Done::new(d.removed, s))
            }
            Self::Sections { cells } => {
                let (out, n) = clip::sections(mesh, *cells);
                (out, Done::new(n, format!("{n} parts after cutting")))
            }
            Self::Divide { plane } => {
                let (out, n) = clip::divide(mesh, plane);
                let added = n - mesh.parts.len();
                (out, Done::new(added, format!("{added} parts added")))
            }
            Self::RemoveHidden => {
                let (out, d) = hidden::remove(mesh, progress)?;
                let s = format!("{} triangles that nobody sees removed", d.triangles);
                (out, Done::new(d.triangles, s))
            }
            Self::Split { part, by } => {
                let name = |m: u32| scene.library.name(m).to_owned();
                let (out, n) = arrange::split(mesh, *part, *by, name)?;
                (out, Done::new(n, format!("{n} parts added")))
            }
            Self::Join { parts, name } => {
                let out = arrange::join(mesh, parts, name)?;
                let s = format!("{} parts joined as {name}", parts.len());
                (out, Done::new(parts.len(), s))
            }
            Self::Rename { part, name } => {
                arrange::check(mesh, &[*part])?;
                let mut out = mesh.clone();
                let old = std::mem::replace(&mut out.parts[*part as usize].name, name.clone());
                (out, Done::new(1, format!("{old} is now {name}")))
            }
            Self::RenameParts { parts, name } => {
                arrange::check(mesh, parts)?;
                let mut out = mesh.clone();
                for (i, &p) in parts.iter().enumerate() {
                    out.parts[p as usize].name = format!("{name} {}", i + 1);
                }
                let s = format!("{} parts are {name} 1 to {}", parts.len(), parts.len());
                (out, Done::new(parts.len(), s))
            }
            Self::MergeMaterials { materials } => {
                // Several materials may have one name: all of them are meant.
                let mut numbers = Vec::new();
                for name in materials {
                    let all = 0..scene.library.materials.len() as u32;
                    let before = numbers.len();
                    numbers.extend(all.filter(|&m| scene.library.name(m) == name));
                    if numbers.len() == before {
                        return Err(EngineError::NoMaterial { name: name.clone() });
                    }
                }
                let (out, n) = looks::merge_materials(mesh, numbers[0], &numbers);
                let s = format!("{n} faces wear {} now", materials[0]);
                (out, Done::new(n, s))
            }
            Self::LeaveOutUvs { keep } => {
                let (out, n) = looks::leave_out_uvs(mesh, *keep as usize);
                (out, Done::new(n, format!("{n} UV sets left out")))
            }
            Self::Group { parts, group } => {
                arrange::check(mesh, parts)?;
                let mut out = mesh.clone();
                for &p in parts {
                    out.parts[p as usize].group.clone_from(group);
                }
                let s = match group.as_str() {
                    "" => format!("{} parts taken out of their group", parts.len()),
                    g => format!("{} parts put into {g}", parts.len()),
                };
                (out, Done::new(parts.len(), s))
            }
            Self::Fate { parts, fate } => {
                arrange::check(mesh, parts)?;
                let mut out = mesh.clone();
                for &p in parts {
                    out.parts[p as usize].fate = *fate;
                }
                let word = match fate {
                    Fate::Build => "built",
                    Fate::Imprint => "imprinted",
                    Fate::Omit => "omitted",
                };
                (
                    out,
                    Done::new(parts.len(), format!("{} parts are {word}", parts.len())),
                )
            }
            Self::Smallest { parts, triangles } => {
                arrange::check(mesh, parts)?;
                let mut out = mesh.clone();
                for &p in parts {
                    out.parts[p as usize].smallest = *triangles;
                }
                let s = match triangles {
                    0 => format!("{} parts have no smallest count", parts.len()),
                    n => format!("{} parts keep at least {n} triangles each", parts.len()),
                };
                (out, Done::new(parts.len(), s))
            }
        })
    }
}

/// An extent in millimetres, to one more place than a form offers, so that typing it closes the hole.
fn across(metres: f32) -> String {
    format!("{:.1} mm", (f64::from(metres) * 1e4).ceil() / 10.0)
}
