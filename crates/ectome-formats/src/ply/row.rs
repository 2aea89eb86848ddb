//! One row of a PLY, as the parser hands it over.

use ply_rs_bw::ply::{BeginList, PropertyAccess, PropertyAccessResult};

/// What a vertex may carry, by the names in use.
#[derive(Clone, Copy)]
pub enum Slot {
    X,
    Y,
    Z,
    Nx,
    Ny,
    Nz,
    U,
    V,
    Red,
    Green,
    Blue,
    Alpha,
    Part,
    Material,
}

fn slot(name: &str) -> Option<Slot> {
    use Slot::{Alpha, Blue, Green, Material, Nx, Ny, Nz, Part, Red, U, V, X, Y, Z};
    Some(match name {
        "x" => X,
        "y" => Y,
        "z" => Z,
        "nx" => Nx,
        "ny" => Ny,
        "nz" => Nz,
        "u" | "s" | "texture_u" => U,
        "v" | "t" | "texture_v" => V,
        "red" | "r" | "diffuse_red" => Red,
        "green" | "g" | "diffuse_green" => Green,
        "blue" | "b" | "diffuse_blue" => Blue,
        "alpha" | "a" | "diffuse_alpha" => Alpha,
        "part" => Part,
        "material" => Material,
        _ => return None,
    })
}

/// One element as it stands in the file.
pub struct Row {
    /// By [`Slot`]; NaN where nothing is given. Colours run from 0 to 1.
    pub values: [f32; 14],
    /// Colours were whole numbers: they are for a screen, not linear.
    pub screen_colours: bool,
    pub corners: Vec<u32>,
    pub signed_corners: Vec<i32>,
    pub uvs: Vec<f32>,
}

impl Row {
    fn put(&mut self, name: &str, value: f64, whole: Option<f64>) -> PropertyAccessResult {
        let Some(slot) = slot(name) else {
            return PropertyAccessResult::Ignored;
        };
        let colour = (Slot::Red as usize..=Slot::Alpha as usize).contains(&(slot as usize));
        let value = match whole {
            Some(range) if colour => {
                self.screen_colours = true;
                value / range
            }
            _ => value,
        };
        self.values[slot as usize] = value as f32;
        PropertyAccessResult::Set
    }

    fn list(&mut self, name: &str, values: impl Iterator<Item = u32>) -> PropertyAccessResult {
        if !is_corner_list(name) {
            return PropertyAccessResult::Ignored;
        }
        self.corners.extend(values);
        PropertyAccessResult::Set
    }

    pub fn get(&self, slot: Slot) -> f32 {
        self.values[slot as usize]
    }
}

pub fn is_corner_list(name: &str) -> bool {
    matches!(name, "vertex_indices" | "vertex_index")
}

/// Numbers below zero become a number that no vertex has.
pub fn index(value: i64) -> u32 {
    u32::try_from(value).unwrap_or(u32::MAX)
}

impl PropertyAccess for Row {
    fn new() -> Self {
        Self {
            values: [f32::NAN; 14],
            screen_colours: false,
            corners: Vec::new(),
            signed_corners: Vec::new(),
            uvs: Vec::new(),
        }
    }

    fn set_char(&mut self, name: &str, value: i8) -> PropertyAccessResult {
        self.put(name, value.into(), Some(127.0))
    }

    fn set_uchar(&mut self, name: &str, value: u8) -> PropertyAccessResult {
        self.put(name, value.into(), Some(255.0))
    }

    fn set_short(&mut self, name: &str, value: i16) -> PropertyAccessResult {
        self.put(name, value.into(), Some(32767.0))
    }

    fn set_ushort(&mut self, name: &str, value: u16) -> PropertyAccessResult {
        self.put(name, value.into(), Some(65535.0))
    }

    fn set_int(&mut self, name: &str, value: i32) -> PropertyAccessResult {
        self.put(name, value.into(), Some(255.0))
    }

    fn set_uint(&mut self, name: &str, value: u32) -> PropertyAccessResult {
        self.put(name, value.into(), Some(255.0))
    }

    fn set_float(&mut self, name: &str, value: f32) -> PropertyAccessResult {
        self.put(name, value.into(), None)
    }

    fn set_double(&mut self, name: &str, value: f64) -> PropertyAccessResult {
        self.put(name, value, None)
    }

    fn begin_list_int(&mut self, name: &str, _: usize) -> BeginList<'_, i32> {
        if is_corner_list(name) {
            BeginList::Fill(&mut self.signed_corners)
        } else {
            BeginList::UseSetter
        }
    }

    fn begin_list_uint(&mut self, name: &str, _: usize) -> BeginList<'_, u32> {
        if is_corner_list(name) {
            BeginList::Fill(&mut self.corners)
        } else {
            BeginList::UseSetter
        }
    }

    fn begin_list_float(&mut self, name: &str, _: usize) -> BeginList<'_, f32> {
        if name == "texcoord" {
            BeginList::Fill(&mut self.uvs)
        } else {
            BeginList::UseSetter
        }
    }

    fn set_list_uchar(&mut self, name: &str, value: Vec<u8>) -> PropertyAccessResult {
        self.list(name, value.into_iter().map(u32::from))
    }

    fn set_list_char(&mut self, name: &str, value: Vec<i8>) -> PropertyAccessResult {
        self.list(name, value.into_iter().map(|v| index(v.into())))
    }

    fn set_list_ushort(&mut self, name: &str, value: Vec<u16>) -> PropertyAccessResult {
        self.list(name, value.into_iter().map(u32::from))
    }

    fn set_list_short(&mut self, name: &str, value: Vec<i16>) -> PropertyAccessResult {
        self.list(name, value.into_iter().map(|v| index(v.into())))
    }
}
