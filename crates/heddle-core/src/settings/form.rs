//! How review files are written, as far as it is not left to detection.

use crate::choice::choice;

choice! {
    /// The format of a file.
    #[derive(Default)]
    Format {
        /// Told by folder, first bytes and ending.
        #[default]
        Auto = "auto",
        /// Fields with a delimiter between them.
        Delimited = "delimited",
        /// One JSON object a line.
        JsonLines = "json-lines",
        /// One JSON array of objects.
        Json = "json",
        /// Parquet.
        Parquet = "parquet",
        /// An Arrow stream.
        Arrow = "arrow",
        /// One text a line, behind a mark that names its class.
        Lines = "lines",
        /// A folder for each class, a file for each text.
        Folder = "folder",
        /// A sheet of a workbook.
        Spreadsheet = "spreadsheet",
    }
}

choice! {
    /// What a double quote means in a delimited file.
    #[derive(Default)]
    Quotes {
        /// Told by which reading gives whole rows.
        #[default]
        Auto = "auto",
        /// It holds a field together; two of them are one inside a field.
        Csv = "csv",
        /// It is an ordinary character, and every line is a row.
        Literal = "literal",
    }
}

choice! {
    /// Whether the first row of a delimited file holds names.
    #[derive(Default)]
    Header {
        /// Told by comparing it with the rows below.
        #[default]
        Auto = "auto",
        /// It does.
        Yes = "yes",
        /// It does not: columns are called column1, column2, ...
        No = "no",
    }
}

choice! {
    /// How characters are written as bytes.
    #[derive(Default)]
    Encoding {
        /// Told by mark and bytes.
        #[default]
        Auto = "auto",
        /// UTF-8.
        Utf8 = "utf-8",
        /// UTF-16, low byte first.
        Utf16Le = "utf-16le",
        /// UTF-16, high byte first.
        Utf16Be = "utf-16be",
        /// Windows-1252.
        Windows1252 = "windows-1252",
        /// ISO 8859-1.
        Latin1 = "latin-1",
    }
}

/// How much of a file is taken in at most, so that no file takes all memory or all day.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Limits {
    /// The longest row, in MiB. Default: 64.
    pub row: u64,
    /// The most columns. Default: 10,000.
    pub columns: u64,
    /// How many times as large as its packed data, or its whole file in Parquet, a file may
    /// become. Default: 1,000.
    pub unpacking: u64,
}

impl Default for Limits {
    fn default() -> Self {
        Self { row: 64, columns: 10_000, unpacking: 1000 }
    }
}

impl Limits {
    /// The longest row, in bytes.
    pub fn row_bytes(&self) -> u64 {
        self.row << 20
    }
}

/// How review files are written.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Form {
    /// The format. Default: auto.
    pub format: Format,
    /// The character between two fields. Default: told by which fits best.
    pub delimiter: Option<u8>,
    /// Lines above the names of the columns that are passed over. Default: told by looking.
    pub skip: Option<u32>,
    /// The sheet of a workbook. Default: the first.
    pub sheet: Option<String>,
    /// Whether there is a header. Default: auto.
    pub header: Header,
    /// What a double quote means. Default: auto.
    pub quotes: Quotes,
    /// The encoding. Default: auto.
    pub encoding: Encoding,
    /// A regular expression for what stands before the text of a line; its first group is
    /// the class. Default: none.
    pub mark: Option<String>,
    /// How much of a file is taken in.
    pub limits: Limits,
}
