//! One column of a Parquet file: from values to cells.

use parquet::basic::{ConvertedType, LogicalType, Repetition, TimeUnit, Type as Physical};
use parquet::column::reader::{ColumnReader, ColumnReaderImpl};
use parquet::data_type::DataType;
use parquet::errors::ParquetError;
use parquet::file::statistics::Statistics;
use parquet::schema::types::{ColumnDescPtr, Type};

use super::column::{CellKind, Column};
use super::stored::Stored;

/// A column: its name, and how its values become cells.
pub(crate) struct Leaf {
    pub(crate) column: Column,
    means: Means,
    most_defined: i16,
    /// Lists inside lists have more than one.
    lists: i16,
    /// The level of definition from which on a list has an element.
    element: i16,
}

/// What the values of a column mean.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Means {
    Plain,
    Unsigned(u32),
    Text,
    Date,
    /// A time of the day, in so many parts of a second.
    Time(i64),
    /// A moment, in so many parts of a second.
    Moment(i64),
    Decimal(i32),
    Half,
}

/// Cells of a column, for a number of rows.
#[derive(Default)]
pub(crate) struct Cells {
    text: String,
    ends: Vec<usize>,
    /// What is wrong with a row's cell.
    wrong: Vec<(usize, &'static str)>,
}

impl Cells {
    pub(crate) fn cell(&self, row: usize) -> &str {
        let Some(end) = self.ends.get(row) else { return "" }; // a column that is not needed
        let start = row.checked_sub(1).map_or(0, |before| self.ends[before]);
        &self.text[start..*end]
    }

    /// The same cell in so many rows.
    pub(crate) fn fill(&mut self, cell: &str, rows: usize) {
        self.clear();
        for _ in 0..rows {
            self.text.push_str(cell);
            self.end(None);
        }
    }

    pub(crate) fn wrong(&self, row: usize) -> Option<&'static str> {
        self.wrong.iter().find(|(at, _)| *at == row).map(|(_, why)| *why)
    }

    pub(crate) fn rows(&self) -> usize {
        self.ends.len()
    }

    pub(crate) fn clear(&mut self) {
        self.text.clear();
        self.ends.clear();
        self.wrong.clear();
    }

    fn end(&mut self, wrong: Option<&'static str>) {
        self.wrong.extend(wrong.map(|why| (self.ends.len(), why)));
        self.ends.push(self.text.len());
    }
}

impl Leaf {
    /// The columns of a field and their names: dotted where fields are inside others; what only
    /// holds a list together has no name of its own.
    pub(crate) fn new(descriptor: &ColumnDescPtr, root: &Type) -> Self {
        let info = descriptor.self_type().get_basic_info();
        let means = means(info.logical_type_ref(), descriptor.converted_type(), descriptor.type_scale());
        let means = match (descriptor.physical_type(), means) {
            (Physical::INT96, _) => Means::Moment(1_000_000_000),
            (_, means) => means,
        };
        let lists = descriptor.max_rep_level();
        let kind = if lists > 0 { CellKind::Json } else { kind_of(descriptor.physical_type(), means) };
        Self {
            column: Column {
                name: name_of(root, descriptor.path().parts()),
                kind,
                stored: if lists > 0 { Stored::Usual } else { stored(descriptor, means) },
            },
            means,
            most_defined: descriptor.max_def_level(),
            lists,
            element: element_level(root, descriptor.path().parts()),
        }
    }

    /// The least and the largest number of a part of the column, where they are numbers as they stand, and the file tells.
    pub(crate) fn range(&self, told: &Statistics) -> Option<(f64, f64)> {
        fn both<T: Copy + Into<f64>>(least: Option<&T>, most: Option<&T>) -> Option<(f64, f64)> {
            Some(((*least?).into(), (*most?).into()))
        }
        if self.means != Means::Plain || self.lists > 0 {
            return None;
        }
        let (least, most) = match told {
            Statistics::Int32(own) => both(own.min_opt(), own.max_opt()),
            // Beyond 32 bits a float may not hold it to the last digit.
            Statistics::Int64(own) => {
                let whole = |value: &i64| i32::try_from(*value).ok().map(f64::from);
                whole(own.min_opt()?).zip(whole(own.max_opt()?))
            }
            // As they are written out: a number of 32 bits is no number of 64 to the last digit.
            Statistics::Float(own) => {
                let shown = |value: &f32| value.to_string().parse::<f64>().ok();
                shown(own.min_opt()?).zip(shown(own.max_opt()?))
            }
            Statistics::Double(own) => both(own.min_opt(), own.max_opt()),
            _ => None,
        }?;
        (least <= most).then_some((least, most))
    }

    /// Reads the cells of the next rows.
    pub(crate) fn read(
        &self,
        reader: &mut ColumnReader,
        rows: usize,
        cells: &mut Cells,
    ) -> Result<(), ParquetError> {
        use ColumnReader as Typed;
        let means = self.means;
        match reader {
            Typed::BoolColumnReader(reader) => self.typed(reader, rows, cells, |value, text| {
                text.push_str(if *value { "true" } else { "false" });
                Ok(())
            }),
            Typed::Int32ColumnReader(reader) => {
                self.typed(reader, rows, cells, |value, text| whole(means, i64::from(*value), text))
            }
            Typed::Int64ColumnReader(reader) => {
                self.typed(reader, rows, cells, |value, text| whole(means, *value, text))
            }
            Typed::Int96ColumnReader(reader) => self.typed(reader, rows, cells, |value, text| {
                let data = value.data();
                let nanos = i128::from(u64::from(data[1]) << 32 | u64::from(data[0]));
                let days = i128::from(data[2] as i32) - 2_440_588; // the Julian day of 1970-01-01
                moment(days * 86_400 * 1_000_000_000 + nanos, 1_000_000_000, text)
            }),
            Typed::FloatColumnReader(reader) => {
                self.typed(reader, rows, cells, |value, text| put(text, value))
            }
            Typed::DoubleColumnReader(reader) => {
                self.typed(reader, rows, cells, |value, text| put(text, value))
            }
            Typed::ByteArrayColumnReader(reader) => {
                self.typed(reader, rows, cells, |value, text| bytes(means, value.data(), text))
            }
            Typed::FixedLenByteArrayColumnReader(reader) => {
                self.typed(reader, rows, cells, |value, text| bytes(means, value.data(), text))
            }
        }
    }

    fn typed<T: DataType>(
        &self,
        reader: &mut ColumnReaderImpl<T>,
        rows: usize,
        cells: &mut Cells,
        put: impl Fn(&T::T, &mut String) -> Result<(), &'static str>,
    ) -> Result<(), ParquetError> {
        cells.clear();
        let (mut defined, mut repeated, mut values) = (Vec::new(), Vec::new(), Vec::new());
        let (records, _, levels) = reader.read_records(
            rows,
            (self.most_defined > 0).then_some(&mut defined),
            (self.lists > 0).then_some(&mut repeated),
            &mut values,
        )?;
        let mut values = values.iter();
        if self.lists == 0 {
            for level in 0..levels.max(records) {
                let there = self.most_defined == 0 || defined.get(level) == Some(&self.most_defined);
                let value = if there { values.next() } else { None };
                let written = value.map(|value| put(value, &mut cells.text));
                cells.end(written.and_then(Result::err));
            }
            return Ok(());
        }
        let mut wrong = None;
        for level in 0..levels {
            let begins = repeated[level] == 0;
            if begins && level > 0 {
                self.close(cells, &mut wrong);
            }
            if self.lists > 1 {
                wrong = Some("a list inside a list, which has no place in a row");
            }
            if defined[level] < self.element {
                cells.text.push_str(if defined[level] + 1 == self.element { "[" } else { "" });
                continue;
            }
            let value = if defined[level] == self.most_defined { values.next() } else { None };
            cells.text.push_str(if begins { "[" } else { "," });
            match value {
                Some(value) => {
                    let mut element = String::new();
                    wrong = wrong.or(put(value, &mut element).err());
                    self.element(&element, &mut cells.text);
                }
                None => cells.text.push_str("null"),
            }
        }
        if levels > 0 {
            self.close(cells, &mut wrong);
        }
        Ok(())
    }

    /// Ends the list of a row; one that is null stays blank.
    fn close(&self, cells: &mut Cells, wrong: &mut Option<&'static str>) {
        let start = cells.ends.last().copied().unwrap_or(0);
        if cells.text.len() > start {
            cells.text.push(']');
        }
        cells.end(wrong.take());
    }

    fn element(&self, element: &str, text: &mut String) {
        let bare = matches!(self.means, Means::Plain | Means::Unsigned(_) | Means::Decimal(_))
            && serde_json::from_str::<&serde_json::value::RawValue>(element).is_ok();
        if bare {
            text.push_str(element);
        } else {
            text.push_str(&serde_json::Value::from(element).to_string());
        }
    }
}

/// The dotted name of a column, without the parts that only hold a list or a map together.
fn name_of(root: &Type, parts: &[String]) -> String {
    let (mut names, mut node, mut in_list) = (vec![root.name().to_string()], root, is_list(root));
    for part in &parts[1..] {
        let Some(inner) = fields(node).iter().find(|field| field.name() == part) else { break };
        let info = inner.get_basic_info();
        let repeated = info.has_repetition() && info.repetition() == Repetition::REPEATED;
        let element = in_list && fields(node).len() == 1;
        if !repeated && !element {
            names.push(part.clone());
        }
        in_list = (in_list && repeated) || is_list(inner);
        node = inner;
    }
    names.join(".")
}

/// How often a part of the way to a column may be missing or repeated, up to its first list.
fn element_level(root: &Type, parts: &[String]) -> i16 {
    let (mut level, mut node) = (0, root);
    for (at, part) in parts.iter().enumerate() {
        if at > 0 {
            let Some(inner) = fields(node).iter().find(|field| field.name() == part) else { break };
            node = inner;
        }
        let info = node.get_basic_info();
        match info.has_repetition().then(|| info.repetition()) {
            Some(Repetition::REPEATED) => return level + 1,
            Some(Repetition::OPTIONAL) => level += 1,
            _ => {}
        }
    }
    level
}

fn fields(node: &Type) -> &[std::sync::Arc<Type>] {
    match node {
        Type::GroupType { fields, .. } => fields,
        Type::PrimitiveType { .. } => &[],
    }
}

fn is_list(node: &Type) -> bool {
    let info = node.get_basic_info();
    matches!(info.logical_type_ref(), Some(LogicalType::List)) || info.converted_type() == ConvertedType::LIST
}

fn means(logical: Option<&LogicalType>, converted: ConvertedType, scale: i32) -> Means {
    let parts = |unit: &TimeUnit| match unit {
        TimeUnit::MILLIS => 1000,
        TimeUnit::MICROS => 1_000_000,
        TimeUnit::NANOS => 1_000_000_000,
    };
    match logical {
        Some(LogicalType::Date) => return Means::Date,
        Some(LogicalType::Time(time)) => return Means::Time(parts(&time.unit)),
        Some(LogicalType::Timestamp(time)) => return Means::Moment(parts(&time.unit)),
        Some(LogicalType::Decimal(_)) => return Means::Decimal(scale),
        Some(LogicalType::Float16) => return Means::Half,
        Some(LogicalType::Integer(integer)) if !integer.is_signed => {
            return Means::Unsigned(integer.bit_width as u32);
        }
        Some(LogicalType::String | LogicalType::Enum | LogicalType::Json) => return Means::Text,
        _ => {}
    }
    match converted {
        ConvertedType::DATE => Means::Date,
        ConvertedType::TIME_MILLIS => Means::Time(1000),
        ConvertedType::TIME_MICROS => Means::Time(1_000_000),
        ConvertedType::TIMESTAMP_MILLIS => Means::Moment(1000),
        ConvertedType::TIMESTAMP_MICROS => Means::Moment(1_000_000),
        ConvertedType::DECIMAL => Means::Decimal(scale),
        ConvertedType::UINT_8 => Means::Unsigned(8),
        ConvertedType::UINT_16 => Means::Unsigned(16),
        ConvertedType::UINT_32 => Means::Unsigned(32),
        ConvertedType::UINT_64 => Means::Unsigned(64),
        ConvertedType::UTF8 | ConvertedType::ENUM | ConvertedType::JSON => Means::Text,
        _ => Means::Plain,
    }
}

/// The form that cells are held in, as far as it can be written again.
fn stored(descriptor: &ColumnDescPtr, means: Means) -> Stored {
    let info = descriptor.self_type().get_basic_info();
    match (descriptor.physical_type(), means) {
        (Physical::INT32, Means::Plain) => match info.logical_type_ref() {
            Some(LogicalType::Integer(integer)) => {
                Stored::Whole { bits: integer.bit_width as u8, signed: true }
            }
            _ => Stored::Whole { bits: 32, signed: true },
        },
        (Physical::INT32 | Physical::INT64, Means::Unsigned(bits)) => {
            Stored::Whole { bits: bits as u8, signed: false }
        }
        (Physical::FLOAT, _) => Stored::Single,
        (Physical::INT32, Means::Date) => Stored::Date,
        (Physical::INT32 | Physical::INT64, Means::Time(parts)) => Stored::Time(parts),
        (Physical::INT64, Means::Moment(parts)) => {
            let utc = match info.logical_type_ref() {
                Some(LogicalType::Timestamp(time)) => time.is_adjusted_to_u_t_c,
                _ => true,
            };
            Stored::Moment { parts, utc }
        }
        (Physical::INT96, Means::Moment(parts)) => Stored::Moment { parts, utc: true },
        (_, Means::Decimal(scale)) => {
            match (u8::try_from(descriptor.type_precision()), u8::try_from(scale)) {
                (Ok(precision @ 1..=18), Ok(scale)) => Stored::Decimal { precision, scale },
                _ => Stored::Usual,
            }
        }
        _ => Stored::Usual,
    }
}

fn kind_of(physical: Physical, means: Means) -> CellKind {
    match (physical, means) {
        (Physical::BOOLEAN, _) => CellKind::Flag,
        (Physical::INT32 | Physical::INT64, Means::Plain) => CellKind::Whole,
        (Physical::INT32 | Physical::INT64, Means::Unsigned(64)) => CellKind::Digits,
        (Physical::INT32 | Physical::INT64, Means::Unsigned(_)) => CellKind::Whole,
        (Physical::FLOAT | Physical::DOUBLE, _) => CellKind::Number,
        (_, Means::Decimal(_)) => CellKind::Digits,
        (_, Means::Half) => CellKind::Number,
        _ => CellKind::Text,
    }
}

fn put(text: &mut String, value: impl std::fmt::Display) -> Result<(), &'static str> {
    use std::fmt::Write;
    write!(text, "{value}").map_err(|_| "a value that cannot be written")
}

fn whole(means: Means, value: i64, text: &mut String) -> Result<(), &'static str> {
    match means {
        Means::Unsigned(64) => put(text, value as u64),
        Means::Unsigned(bits) => put(text, value as u64 & (u64::MAX >> (64 - bits.min(64)))),
        Means::Date => date(i128::from(value), text),
        Means::Time(parts) => time(i128::from(value), i128::from(parts), text),
        Means::Moment(parts) => moment(i128::from(value), i128::from(parts), text),
        Means::Decimal(scale) => decimal(i128::from(value), scale, text),
        Means::Plain | Means::Text | Means::Half => put(text, value),
    }
}

fn bytes(means: Means, value: &[u8], text: &mut String) -> Result<(), &'static str> {
    match means {
        Means::Decimal(scale) if value.len() <= 16 => {
            let negative = value.first().is_some_and(|byte| byte & 0x80 != 0);
            let begun = if negative { -1i128 } else { 0 };
            decimal(value.iter().fold(begun, |sum, byte| sum << 8 | i128::from(*byte)), scale, text)
        }
        Means::Decimal(_) => Err("a decimal of more than 128 bits"),
        Means::Half => match value {
            [low, high] => put(text, half(u16::from_le_bytes([*low, *high]))),
            _ => Err("a number of 16 bits of another length"),
        },
        _ => {
            text.push_str(std::str::from_utf8(value).map_err(|_| "bytes that are no text in UTF-8")?);
            Ok(())
        }
    }
}

/// IEEE 754 binary16.
fn half(bits: u16) -> f64 {
    let sign = if bits >> 15 == 0 { 1.0 } else { -1.0 };
    let (exponent, fraction) = (i32::from(bits >> 10 & 0x1f), f64::from(bits & 0x3ff));
    sign * match exponent {
        0 => fraction * 2f64.powi(-24),
        31 if fraction == 0.0 => f64::INFINITY,
        31 => f64::NAN,
        _ => (1.0 + fraction / 1024.0) * 2f64.powi(exponent - 15),
    }
}

pub(crate) fn decimal(value: i128, scale: i32, text: &mut String) -> Result<(), &'static str> {
    let scale = usize::try_from(scale).map_err(|_| "a decimal without a scale")?;
    let digits = format!("{:0>width$}", value.unsigned_abs(), width = scale + 1);
    let (before, behind) = digits.split_at(digits.len() - scale);
    let sign = if value < 0 { "-" } else { "" };
    let point = if scale > 0 { "." } else { "" };
    put(text, format_args!("{sign}{before}{point}{behind}"))
}

/// The civil date of days since 1970-01-01 (proleptic Gregorian calendar; H. Hinnant,
/// "chrono-compatible low-level date algorithms", 2013).
pub(crate) fn date(days: i128, text: &mut String) -> Result<(), &'static str> {
    let days = days + 719_468;
    let (era, day) = (days.div_euclid(146_097), days.rem_euclid(146_097));
    let year_of_era = (day - day / 1460 + day / 36_524 - day / 146_096) / 365;
    let day_of_year = day - (365 * year_of_era + year_of_era / 4 - year_of_era / 100);
    let shifted = (5 * day_of_year + 2) / 153;
    let day_of_month = day_of_year - (153 * shifted + 2) / 5 + 1;
    let month = if shifted < 10 { shifted + 3 } else { shifted - 9 };
    let year = year_of_era + era * 400 + i128::from(month <= 2);
    if !(1..=9999).contains(&year) {
        return Err("a date outside the years 1 to 9999");
    }
    put(text, format_args!("{year:04}-{month:02}-{day_of_month:02}"))
}

pub(crate) fn time(value: i128, parts: i128, text: &mut String) -> Result<(), &'static str> {
    let (seconds, rest) = (value.div_euclid(parts), value.rem_euclid(parts));
    if !(0..86_400).contains(&seconds) {
        return Err("a time outside the day");
    }
    let width = parts.ilog10() as usize;
    put(
        text,
        format_args!("{:02}:{:02}:{:02}.{rest:0width$}", seconds / 3600, seconds / 60 % 60, seconds % 60),
    )
}

/// A moment in UTC.
pub(crate) fn moment(value: i128, parts: i128, text: &mut String) -> Result<(), &'static str> {
    let day = parts * 86_400;
    date(value.div_euclid(day), text)?;
    text.push(' ');
    time(value.rem_euclid(day), parts, text)?;
    text.push_str(" +00:00");
    Ok(())
}
