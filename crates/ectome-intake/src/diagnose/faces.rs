//! Faces by themselves.

use ectome_mesh::Mesh;

use super::{Kind, List, face_spot};
use crate::repair::{degenerate, duplicate};

pub(super) fn examine(mesh: &Mesh, list: &mut List) {
    let marked = |flags: &[bool]| {
        (0..flags.len())
            .filter(|&f| flags[f])
            .map(|f| face_spot(mesh, f))
            .collect::<Vec<_>>()
    };
    let flat = marked(&degenerate::find(mesh));
    list.add(Kind::DegenerateFaces, 1, flat.len(), String::new(), flat);
    let twice = marked(&duplicate::find(mesh, true));
    list.add(Kind::DuplicateFaces, 2, twice.len(), String::new(), twice);
    if mesh.face_starts.is_some() {
        let large = |f: &usize| mesh.face(*f).len() > 4;
        let ngons: Vec<usize> = (0..mesh.face_count()).filter(large).collect();
        let most = ngons.iter().map(|&f| mesh.face(f).len()).max().unwrap_or(0);
        let marks = ngons.iter().map(|&f| face_spot(mesh, f)).collect();
        let detail = format!("up to {most} corners");
        list.add(Kind::Ngons, 1, ngons.len(), detail, marks);
    }
}
