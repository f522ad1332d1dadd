//! The token that clients must send.

use std::fs;

use thiserror::Error;

/// A shorter token can be guessed.
const SHORTEST: usize = 16;

/// Why a file holds no token.
#[derive(Debug, Error)]
pub enum TokenError {
    /// It cannot be read.
    #[error("{path}: {error}; a token is one line of a file that only you can read")]
    File {
        /// The file.
        path: String,
        /// Why not.
        error: std::io::Error,
    },
    /// It holds something else.
    #[error(
        "{path}: expected one line of {SHORTEST} or more visible ASCII characters; `openssl rand -hex 24` makes one"
    )]
    Unfit {
        /// The file.
        path: String,
    },
}

/// A token and whether others can read its file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Token {
    /// The token.
    pub text: String,
    /// Whether other users of this machine may read the file.
    pub is_bare: bool,
}

/// Reads a token from the only line of a file.
///
/// # Errors
/// A file that cannot be read, or holds no fit token.
pub fn read_token(path: &str) -> Result<Token, TokenError> {
    let fail = |error| TokenError::File { path: path.into(), error };
    let text = fs::read_to_string(path).map_err(fail)?;
    let text = text.trim();
    if text.len() < SHORTEST || !text.bytes().all(|byte| byte.is_ascii_graphic()) {
        return Err(TokenError::Unfit { path: path.into() });
    }
    #[cfg(unix)]
    let is_bare = {
        let data = fs::metadata(path).map_err(fail)?;
        std::os::unix::fs::PermissionsExt::mode(&data.permissions()) & 0o044 != 0
    };
    #[cfg(not(unix))]
    let is_bare = false;
    Ok(Token { text: text.into(), is_bare })
}
