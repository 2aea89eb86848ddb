//! Starts the real application and a real browser for tests.
//!
//! | module | what it gives |
//! |---|---|
//! | [`app`] | `ectome serve` in a folder of its own, on ports of its own |
//! | [`brief`] | a brief of one's own |
//! | [`browser`] | headless Chromium through ChromeDriver |
//! | [`http`] | requests that no browser would send |
//! | [`served`] | a folder over HTTP |
//! | [`unwrap`] | unwrapping as a person does it |
//! | [`validator`] | the glTF validator |
//! | [`access`] | axe-core, what stands in anybody's way |
//! | [`wait`] | waiting for what happens outside a browser |

pub mod access;
pub mod app;
pub mod brief;
pub mod browser;
pub mod http;
pub mod served;
pub mod unwrap;
pub mod validator;
pub mod wait;
