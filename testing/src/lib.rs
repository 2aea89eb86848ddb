//! What tests of several crates share: databases and object stores of their own.
//!
//! | module | for tests that |
//! |---|---|
//! | [`database`] | start a MariaDB of their own: the data of an empty one, installed once and copied from then on |
//! | [`tls_database`] | reach a MariaDB as on another machine: over TCP, with password and TLS |
//! | [`object_store`] | keep blobs in a store that speaks S3 |
//! | [`port`] | start a program that listens |

pub mod database;
pub mod object_store;
pub mod port;
pub mod tls_database;
