//! What all pages need of HTTP: addresses, uploads and downloads, errors as pages, what keeps other sites out, assets.

pub(crate) mod address;
pub(crate) mod assets;
pub(crate) mod download;
pub(crate) mod error;
pub(crate) mod security;
pub(crate) mod upload;
