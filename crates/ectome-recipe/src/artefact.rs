//! What is kept beside a result to be looked at.

use std::borrow::Cow;

/// Something that belongs to a result and is kept beside it: a picture, a field.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Artefact {
    /// What it is: one of the names below.
    pub kind: &'static str,
    /// Which of several; empty where there is one.
    pub which: Cow<'static, str>,
    /// Its bytes.
    pub bytes: Vec<u8>,
}

impl Artefact {
    /// The result, PNG.
    pub const PICTURE: &'static str = "picture";
    /// The outlines in the worst view: gained and lost marked, PNG.
    pub const OUTLINE: &'static str = "outline";
    /// The worst view of shading, PNG: [`Artefact::SOURCE`], [`Artefact::RESULT`], [`Artefact::DIFFERENCE`].
    pub const SHADING: &'static str = "shading";
    /// The worst view of each figure of the look, PNG, named after the figure and [`Artefact::SOURCE`], [`Artefact::RESULT`] or
    /// [`Artefact::DIFFERENCE`], such as `colour_source`.
    pub const LOOK: &'static str = "look";
    /// The deviation at each point, GLB: of [`Artefact::SOURCE`] and [`Artefact::RESULT`].
    pub const FIELD: &'static str = "field";
    /// A map, PNG, each under its name.
    pub const MAP: &'static str = "map";
    /// The names and colours of an id map, SVG, under the map's name.
    pub const LEGEND: &'static str = "legend";
    /// Where rays began over the surface that was baked for, GLB.
    pub const SHELL: &'static str = "shell";
    /// Where rays missed, PNG.
    pub const MISSES: &'static str = "misses";
    /// How each texel came out, PNG, each sheet under its name.
    pub const TEXELS: &'static str = "texels";
    /// What was baked, JSON.
    pub const BAKE: &'static str = "bake";
    /// Of the source.
    pub const SOURCE: &'static str = "source";
    /// Of the result.
    pub const RESULT: &'static str = "result";
    /// How both differ.
    pub const DIFFERENCE: &'static str = "difference";

    /// The only one of its kind.
    pub fn new(kind: &'static str, bytes: Vec<u8>) -> Self {
        Self::one_of(kind, "", bytes)
    }

    /// One of several of its kind.
    pub fn one_of(kind: &'static str, which: impl Into<Cow<'static, str>>, bytes: Vec<u8>) -> Self {
        Self {
            kind,
            which: which.into(),
            bytes,
        }
    }
}
