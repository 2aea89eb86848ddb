//! Where objects hang in a file: beside each other, or in the tree in which the source hung them.
//!
//! Points lie in scene space. A node of glTF 2.0 (section 3.5.2) places what it holds by translation, rotation and scale in its
//! parent's frame, so an object's points are written in the frame that its node and all above it make together. Frames that
//! nodes cannot express are left out of the way: the points then stay in the frame above.

use ectome_mesh::{Mesh, Node, Part};
use glam::{Affine3A, Mat3, Quat, Vec3};
use serde_json::{Value, json};

/// What a node can express.
#[derive(Clone, Copy)]
struct Trs {
    scale: Vec3,
    rotation: Quat,
    translation: Vec3,
}

impl Trs {
    const NONE: Self = Self {
        scale: Vec3::ONE,
        rotation: Quat::IDENTITY,
        translation: Vec3::ZERO,
    };

    /// The same frame as translation, rotation and scale; `None` for one that is sheared or flat.
    fn of(frame: &Affine3A) -> Option<Self> {
        let (scale, rotation, translation) = frame.to_scale_rotation_translation();
        let trs = Self {
            scale,
            rotation,
            translation,
        };
        let columns = frame.matrix3.to_cols_array();
        let size = columns.iter().fold(0f32, |a, b| a.max(b.abs()));
        let close = trs
            .frame()
            .matrix3
            .abs_diff_eq(frame.matrix3, 1e-5 * size.max(1e-12));
        let usable = close && scale.abs().min_element() > 1e-12 && rotation.is_normalized();
        usable.then_some(trs)
    }

    fn frame(&self) -> Affine3A {
        Affine3A::from_scale_rotation_translation(self.scale, self.rotation, self.translation)
    }

    fn describe(&self, node: &mut Value) {
        if self.translation != Vec3::ZERO {
            node["translation"] = json!(self.translation.to_array());
        }
        if self.rotation != Quat::IDENTITY {
            node["rotation"] = json!(self.rotation.to_array());
        }
        if self.scale != Vec3::ONE {
            node["scale"] = json!(self.scale.to_array());
        }
    }
}

/// The frame in which an object's points are written.
#[derive(Clone)]
pub(super) struct Frame {
    /// From the frame to the scene.
    world: Affine3A,
    /// From the scene to the frame.
    pub(super) inverse: Affine3A,
    /// Takes normals of the scene to the frame.
    pub(super) normal_map: Mat3,
    /// Faces turn their corners in it.
    pub(super) mirrored: bool,
}

impl Frame {
    fn of(world: Affine3A) -> Self {
        Self {
            inverse: world.inverse(),
            normal_map: Mat3::from(world.matrix3).transpose(),
            mirrored: world.matrix3.determinant() < 0.0,
            world,
        }
    }

    pub(super) fn place(&self, p: Vec3) -> Vec3 {
        if self.world == Affine3A::IDENTITY {
            p
        } else {
            self.inverse.transform_point3(p)
        }
    }
}

/// The nodes of a file as they grow.
pub(super) struct Tree {
    nodes: Vec<Value>,
    /// From each node of the source's tree to the scene.
    worlds: Vec<Affine3A>,
    /// Objects that each node of the source's tree will hold.
    held: Vec<usize>,
    /// Where each node of the source's tree stands among `nodes`; `None` for one that holds nothing any more.
    at: Vec<Option<usize>>,
    roots: Vec<usize>,
}

impl Tree {
    /// The tree of a mesh, or an empty one where objects are to stand beside each other. `written` says which parts will come.
    pub(super) fn of(mesh: &Mesh, hierarchy: bool, written: impl Fn(u32) -> bool) -> Self {
        let mut tree = Self {
            nodes: Vec::new(),
            worlds: Vec::new(),
            held: Vec::new(),
            at: Vec::new(),
            roots: Vec::new(),
        };
        if hierarchy {
            tree.plant(mesh, written);
        }
        tree
    }

    fn plant(&mut self, mesh: &Mesh, written: impl Fn(u32) -> bool) {
        self.held = vec![0; mesh.nodes.len()];
        // A node that held an object goes with it, unless something hangs below; one that never held any stays.
        let mut stays = vec![true; mesh.nodes.len()];
        for (p, part) in mesh.parts.iter().enumerate() {
            if let Some(n) = part.node {
                stays[n as usize] = false;
                self.held[n as usize] += usize::from(written(p as u32));
            }
        }
        for n in (0..mesh.nodes.len()).rev() {
            stays[n] |= self.held[n] > 0;
            if let Some(parent) = mesh.nodes[n].parent.filter(|_| stays[n]) {
                stays[parent as usize] = true;
            }
        }
        for (node, stays) in mesh.nodes.iter().zip(stays) {
            self.add(node, stays);
        }
    }

    fn add(&mut self, node: &Node, stays: bool) {
        let above = node.parent.map(|p| p as usize);
        let trs = Trs::of(&node.local).unwrap_or(Trs {
            translation: Vec3::from(node.local.translation),
            ..Trs::NONE
        });
        let world = above.map_or(Affine3A::IDENTITY, |p| self.worlds[p]) * trs.frame();
        self.worlds.push(world);
        let at = stays.then(|| {
            let mut json = json!({});
            if !node.name.is_empty() {
                json["name"] = json!(node.name);
            }
            trs.describe(&mut json);
            self.push(json, above.and_then(|p| self.at[p]))
        });
        self.at.push(at);
    }

    fn push(&mut self, node: Value, parent: Option<usize>) -> usize {
        let at = self.nodes.len();
        self.nodes.push(node);
        match parent {
            None => self.roots.push(at),
            Some(parent) => match self.nodes[parent]["children"].as_array_mut() {
                Some(children) => children.push(json!(at)),
                None => self.nodes[parent]["children"] = json!([at]),
            },
        }
        at
    }

    /// The node of the source's tree that holds a part, if it can hold anything: its number, and where it stands.
    fn seat(&self, part: &Part) -> Option<(usize, usize)> {
        let n = part.node? as usize;
        let at = (*self.at.get(n)?)?;
        let world = self.worlds[n];
        let inverse = world.inverse();
        // A frame that flattens what it holds has no way back.
        (inverse.is_finite() && (world * inverse).abs_diff_eq(Affine3A::IDENTITY, 1e-3))
            .then_some((n, at))
    }

    /// The frame that a part's points are written in where it hangs by itself.
    pub(super) fn frame(&self, part: &Part) -> Affine3A {
        match self.seat(part) {
            Some((n, _)) => self.worlds[n],
            None => Trs::of(&part.frame).unwrap_or(Trs::NONE).frame(),
        }
    }

    /// A node for a part that shares edges with others, in a frame that serves them all: that of `leader`. Where any of them hangs in a
    /// tree, they hang beside it, in the scene's own frame.
    pub(super) fn hang_with(&mut self, part: &Part, leader: &Part) -> (&mut Value, Frame) {
        let trs = if self.at.is_empty() {
            Trs::of(&leader.frame).unwrap_or(Trs::NONE)
        } else {
            Trs::NONE
        };
        let mut node = json!({ "name": part.name });
        trs.describe(&mut node);
        let at = self.push(node, None);
        (&mut self.nodes[at], Frame::of(trs.frame()))
    }

    /// A node for a part, and the frame its points are written in.
    pub(super) fn hang(&mut self, part: &Part) -> (&mut Value, Frame) {
        let name = json!(part.name);
        let Some((n, at)) = self.seat(part) else {
            let trs = Trs::of(&part.frame).unwrap_or(Trs::NONE);
            let mut node = json!({ "name": name });
            trs.describe(&mut node);
            let at = self.push(node, None);
            return (&mut self.nodes[at], Frame::of(trs.frame()));
        };
        let frame = Frame::of(self.worlds[n]);
        let at = match self.held[n] {
            1 => at,
            // What came of one object hangs below its node.
            _ => self.push(json!({}), Some(at)),
        };
        self.nodes[at]["name"] = name;
        (&mut self.nodes[at], frame)
    }

    /// A node for a part that shows what is written in `frame`, moved; `None` where no node can do that.
    pub(super) fn hang_copy(
        &mut self,
        part: &Part,
        frame: &Frame,
        motion: &Affine3A,
    ) -> Option<&mut Value> {
        let wanted = *motion * frame.world;
        let reach = 1e-5 * (1.0 + wanted.translation.length());
        let seat = self.seat(part);
        let above = seat.map_or(Affine3A::IDENTITY, |(n, _)| self.worlds[n]);
        let own = above.inverse() * wanted;
        let fits = own.abs_diff_eq(Affine3A::IDENTITY, reach);
        if let Some((_, at)) = seat.filter(|&(n, _)| fits && self.held[n] == 1) {
            self.nodes[at]["name"] = json!(part.name);
            return Some(&mut self.nodes[at]);
        }
        let trs = Trs::of(&own)?;
        if !(above * trs.frame()).abs_diff_eq(wanted, reach) {
            return None;
        }
        let mut node = json!({ "name": part.name });
        trs.describe(&mut node);
        let at = self.push(node, seat.map(|(_, at)| at));
        Some(&mut self.nodes[at])
    }

    /// The nodes, and which of them hang from nothing.
    pub(super) fn into_parts(self) -> (Vec<Value>, Vec<usize>) {
        (self.nodes, self.roots)
    }
}
