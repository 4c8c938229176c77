//! What all pages need of HTTP: addresses, uploads and downloads, errors as pages, what keeps other sites out, how much
//! is done at once, assets.

pub(crate) mod address;
pub(crate) mod assets;
pub(crate) mod download;
pub(crate) mod error;
pub(crate) mod lanes;
pub(crate) mod security;
pub(crate) mod serving;
pub(crate) mod told;
pub(crate) mod upload;
