//! A form with a file in it.

use std::collections::HashMap;
use std::fs::File;

use axum::extract::Multipart;
use axum::http::StatusCode;
use tokio::io::{AsyncSeekExt, AsyncWriteExt};

use crate::http::error::WebError;

/// What a form held: the text of its file, or of its text field where there was no file, and its other fields.
#[derive(Debug, Default)]
pub(crate) struct Upload {
    pub(crate) file_name: String,
    pub(crate) text: String,
    /// Whether the text came from a file.
    pub(crate) from_file: bool,
    /// The file as it came; empty where there was none.
    pub(crate) bytes: Vec<u8>,
    fields: HashMap<String, String>,
}

impl Upload {
    /// Whether the file is a workbook: those are ZIP archives, whatever their names.
    pub(crate) fn is_workbook(&self) -> bool {
        self.bytes.starts_with(b"PK\x03\x04")
    }

    /// Every other field.
    pub(crate) fn fields(&self) -> impl Iterator<Item = (&str, &str)> {
        self.fields.iter().map(|(name, value)| (name.as_str(), value.as_str()))
    }

    /// A field as it was typed; empty when it was not there.
    pub(crate) fn field(&self, name: &str) -> String {
        self.fields.get(name).cloned().unwrap_or_default()
    }
}

/// Reads a form. A file that is no text is read as far as it goes; its reader then says what is wrong with it.
pub(crate) async fn read_upload(mut form: Multipart) -> Result<Upload, WebError> {
    let mut upload = Upload::default();
    loop {
        let field = match form.next_field().await {
            Ok(Some(field)) => field,
            Ok(None) => return Ok(upload),
            Err(error) => return Err(unreadable(error.status())),
        };
        let name = field.name().unwrap_or_default().to_string();
        let file_name = field.file_name().unwrap_or_default().to_string();
        let bytes = field.bytes().await.map_err(|error| unreadable(error.status()))?;
        let text = String::from_utf8_lossy(&bytes).into_owned();
        if name == "file" {
            if !bytes.is_empty() {
                upload.from_file = true;
                upload.file_name = file_name;
                upload.text = text;
                upload.bytes = bytes.to_vec();
            }
        } else if name == "text" {
            if !upload.from_file {
                upload.text.clone_from(&text);
            }
            upload.fields.insert(name, text);
        } else {
            upload.fields.insert(name, text);
        }
    }
}

/// Reads the file of a form, piece by piece, into another, and winds that back to its beginning.
pub(crate) async fn save_upload(mut form: Multipart, into: File) -> Result<File, WebError> {
    let mut file = tokio::fs::File::from_std(into);
    while let Some(mut field) = form.next_field().await.map_err(|error| unreadable(error.status()))? {
        if field.name() != Some("file") {
            continue;
        }
        while let Some(piece) = field.chunk().await.map_err(|error| unreadable(error.status()))? {
            file.write_all(&piece).await.map_err(WebError::of_file)?;
        }
    }
    file.flush().await.map_err(WebError::of_file)?;
    file.rewind().await.map_err(WebError::of_file)?;
    Ok(file.into_std().await)
}

fn unreadable(status: StatusCode) -> WebError {
    if status == StatusCode::PAYLOAD_TOO_LARGE {
        let most = spare_hour_formats::MOST_BYTES / 1_000_000;
        return WebError::Refused(format!("That file is too large: expected at most {most} MB. Nothing was saved."));
    }
    WebError::Refused("That form could not be read. Nothing was saved.".into())
}
