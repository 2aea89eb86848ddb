//! A document of glTF 2.0 with its numbers and pictures, to be written as one file or as several.

use ectome_texture::ktx2;
use serde_json::{Map, Value, json};

use super::{Coding, buffer::Buffer, compress, container};
use crate::{FormatError, Image, Library, material::extensions_in};

/// A document: its JSON, its numbers and its pictures.
pub struct Document {
    root: Map<String, Value>,
    buffer: Buffer,
    images: Vec<Image>,
}

/// Extensions without which a file cannot be shown as it is meant.
const NEEDED: [&str; 4] = [
    "KHR_mesh_quantization",
    compress::EXTENSION,
    "EXT_texture_webp",
    "KHR_texture_basisu",
];

impl Document {
    pub(super) fn new(
        mut root: Map<String, Value>,
        buffer: Buffer,
        mut library: Library,
        extensions: Vec<&str>,
    ) -> Self {
        library
            .textures
            .iter_mut()
            .for_each(|t| to_extension(t, &library.images));
        let mut used: Vec<String> = extensions.into_iter().map(str::to_owned).collect();
        for value in library.materials.iter().chain(&library.textures) {
            extensions_in(value, &mut used);
        }
        if buffer.coding != Coding::Plain {
            used.push("KHR_mesh_quantization".to_owned());
        }
        if buffer.unpacked > 0 {
            used.push(compress::EXTENSION.to_owned());
        }
        used.sort();
        used.dedup();
        // What has a picture that everybody reads can be shown without the extension.
        let has_plain = library.textures.iter().all(|t| t["source"].is_u64());
        let is_needed = |name: &&String| {
            NEEDED.contains(&name.as_str()) && !(has_plain && name.contains("texture"))
        };
        let needed: Vec<&String> = used.iter().filter(is_needed).collect();
        if !needed.is_empty() {
            root.insert("extensionsRequired".to_owned(), json!(needed));
        }
        if !used.is_empty() {
            root.insert("extensionsUsed".to_owned(), json!(used));
        }
        for (name, list) in [
            ("materials", library.materials),
            ("textures", library.textures),
            ("samplers", library.samplers),
        ] {
            if !list.is_empty() {
                root.insert(name.to_owned(), Value::Array(list));
            }
        }
        Self {
            root,
            buffer,
            images: library.images,
        }
    }

    /// One file that holds everything.
    ///
    /// # Errors
    /// [`FormatError::TooLarge`] above four gigabytes.
    pub fn into_glb(mut self) -> Result<Vec<u8>, FormatError> {
        let images: Vec<Value> = std::mem::take(&mut self.images)
            .into_iter()
            .map(|image| {
                let view = self.buffer.bytes(&image.bytes);
                described(&image, json!({ "bufferView": view }))
            })
            .collect();
        let (root, bin) = self.with_images(images, None);
        container::join(&Value::Object(root).to_string(), &bin)
    }

    /// The document as text that refers to its numbers, `bin`, and to its pictures, which `file_of` gives names: the text and the
    /// numbers. The pictures are left to the caller, who may share them between documents.
    pub fn into_text(
        mut self,
        bin: &str,
        file_of: &mut dyn FnMut(&Image) -> String,
    ) -> (Vec<u8>, Vec<u8>) {
        let images: Vec<Value> = std::mem::take(&mut self.images)
            .iter()
            .map(|image| described(image, json!({ "uri": encoded(&file_of(image)) })))
            .collect();
        let (root, numbers) = self.with_images(images, Some(bin));
        let text = serde_json::to_vec_pretty(&Value::Object(root)).unwrap_or_default();
        (text, numbers)
    }

    fn with_images(
        mut self,
        images: Vec<Value>,
        bin: Option<&str>,
    ) -> (Map<String, Value>, Vec<u8>) {
        let root = &mut self.root;
        if !images.is_empty() {
            root.insert("images".to_owned(), Value::Array(images));
        }
        let mut own = json!({ "byteLength": self.buffer.bin.len() });
        if let Some(bin) = bin {
            own["uri"] = json!(encoded(bin));
        }
        let mut buffers = vec![own];
        if self.buffer.unpacked > 0 {
            let mut instead = json!({ "byteLength": self.buffer.unpacked });
            instead["extensions"][compress::EXTENSION] = json!({ "fallback": true });
            buffers.push(instead);
        }
        root.insert("accessors".to_owned(), Value::Array(self.buffer.accessors));
        root.insert("bufferViews".to_owned(), Value::Array(self.buffer.views));
        root.insert("buffers".to_owned(), Value::Array(buffers));
        (self.root, self.buffer.bin)
    }
}

/// A texture whose picture is WebP or KTX2 names it in an extension (`EXT_texture_webp`, `KHR_texture_basisu`, Khronos Group registry of glTF
/// extensions).
fn to_extension(texture: &mut Value, images: &[Image]) {
    let source = texture["source"].as_u64();
    let image = source.and_then(|i| images.get(i as usize));
    let extension = match image.map(|i| i.mime.as_str()) {
        Some("image/webp") => "EXT_texture_webp",
        Some(ktx2::MIME) => "KHR_texture_basisu",
        _ => return,
    };
    if let Some(fields) = texture.as_object_mut() {
        fields.remove("source");
        let extensions = fields.entry("extensions").or_insert_with(|| json!({}));
        if let Some(extensions) = extensions.as_object_mut() {
            extensions.insert(extension.to_owned(), json!({ "source": source }));
        }
    }
}

fn described(image: &Image, mut json: Value) -> Value {
    if json["bufferView"].is_u64() {
        json["mimeType"] = json!(image.mime);
    }
    if !image.name.is_empty() {
        json["name"] = json!(image.name);
    }
    json
}

/// A file name as a reference (RFC 3986): what is no letter, digit or one of `-._~` in it is written with percent signs.
fn encoded(name: &str) -> String {
    let mut out = String::with_capacity(name.len());
    for b in name.bytes() {
        match b {
            b'A'..=b'Z' | b'a'..=b'z' | b'0'..=b'9' | b'-' | b'.' | b'_' | b'~' => {
                out.push(b as char)
            }
            b => out.push_str(&format!("%{b:02X}")),
        }
    }
    out
}
