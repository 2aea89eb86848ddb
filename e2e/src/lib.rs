//! Starts the real application and a real browser for tests.
//!
//! | module | what it gives |
//! |---|---|
//! | [`app`] | `ectome serve` in a folder of its own, on ports of its own |
//! | [`browser`] | headless Chromium through ChromeDriver |
//! | [`http`] | requests that no browser would send |
//! | [`validator`] | the glTF validator |
//! | [`access`] | axe-core, what stands in anybody's way |
//! | [`wait`] | waiting for what happens outside a browser |

pub mod access;
pub mod app;
pub mod browser;
pub mod http;
pub mod validator;
pub mod wait;
