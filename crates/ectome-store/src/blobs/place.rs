//! Where blobs lie, by URL.
//!
//! | URL | what |
//! |---|---|
//! | `file:///var/ectome/blobs` | a folder, of this machine or one that several share |
//! | `s3://bucket/prefix` | a bucket of a store that speaks S3. Key, secret, region and endpoint come from the environment, under the names that such stores' own tools use: `AWS_ACCESS_KEY_ID`, `AWS_SECRET_ACCESS_KEY`, `AWS_REGION`, `AWS_ENDPOINT_URL`, and `AWS_ALLOW_HTTP=true` for one without TLS |

use std::{path::PathBuf, sync::Arc};

use object_store::{
    BackoffConfig, ClientOptions, ObjectStore, RetryConfig, aws::AmazonS3Builder,
    prefix::PrefixStore,
};
use url::Url;

use crate::StoreError;

/// How long one answer of an object store may take to begin.
const PATIENCE: std::time::Duration = std::time::Duration::from_secs(30);
/// How long a request that fails is sent again.
const RETRIES: std::time::Duration = std::time::Duration::from_secs(60);

/// A place that was understood.
pub(super) enum Place {
    Folder(PathBuf),
    Remote(Arc<dyn ObjectStore>),
}

impl Place {
    /// Reads a URL.
    ///
    /// # Errors
    /// [`StoreError::Address`], without what may be secret in it.
    pub fn of(address: &str) -> Result<Self, StoreError> {
        let wrong = |fault: String| StoreError::Address {
            what: "object store",
            fault,
        };
        let url = Url::parse(address)
            .map_err(|e| wrong(format!("{e}; write file:///a/folder or s3://bucket/prefix")))?;
        match url.scheme() {
            "file" => url
                .to_file_path()
                .map(Self::Folder)
                .map_err(|()| wrong("a folder is written file:///a/folder".to_owned())),
            "s3" => Ok(Self::Remote(s3(&url).map_err(wrong)?)),
            other => Err(wrong(format!(
                "{other}: is not known; write file:///a/folder or s3://bucket/prefix"
            ))),
        }
    }
}

fn s3(url: &Url) -> Result<Arc<dyn ObjectStore>, String> {
    let bucket = url
        .host_str()
        .filter(|b| !b.is_empty())
        .ok_or("s3:// is followed by the name of a bucket")?;
    if !url.username().is_empty() || url.password().is_some() {
        return Err(
            "keys do not stand in the URL; set AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY"
                .to_owned(),
        );
    }
    // Once a process; whoever was first is as good.
    let _ = rustls::crypto::ring::default_provider().install_default();
    let allow_http = std::env::var("AWS_ALLOW_HTTP").is_ok_and(|v| v == "true");
    let store = AmazonS3Builder::from_env()
        .with_bucket_name(bucket)
        .with_client_options(
            ClientOptions::new()
                .with_allow_http(allow_http)
                .with_connect_timeout(PATIENCE)
                // A large blob takes as long as it takes; one that stands still does not.
                .with_timeout_disabled()
                .with_read_timeout(PATIENCE),
        )
        .with_retry(RetryConfig {
            backoff: BackoffConfig::default(),
            max_retries: 10,
            retry_timeout: RETRIES,
        })
        .build()
        .map_err(|e| e.to_string())?;
    let prefix = url.path().trim_matches('/');
    Ok(if prefix.is_empty() {
        Arc::new(store)
    } else {
        Arc::new(PrefixStore::new(store, prefix))
    })
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case::folder("file:///var/blobs", true)]
    #[case::bucket("s3://landing/ectome", true)]
    #[case::bucket_alone("s3://landing", true)]
    #[case::path("/var/blobs", false)]
    #[case::other("ftp://landing/x", false)]
    #[case::no_bucket("s3:///x", false)]
    #[case::elsewhere("file://other/blobs", false)]
    fn an_address_is_understood_or_refused_in_a_sentence(
        #[case] address: &str,
        #[case] understood: bool,
    ) {
        match Place::of(address) {
            Ok(_) => assert!(understood),
            Err(error) => {
                assert!(!understood, "{error}");
                assert!(error.to_string().contains("object store"), "{error}");
            }
        }
    }

    #[test]
    fn keys_in_an_address_are_not_repeated() {
        let said = match Place::of("s3://key:hush@landing/x") {
            Ok(_) => panic!("taken"),
            Err(error) => error.to_string(),
        };
        assert!(!said.contains("hush"), "{said}");
    }
}
