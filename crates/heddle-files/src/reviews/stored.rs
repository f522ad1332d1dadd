//! How a typed file holds the cells of a column, where that is not as usual for their kind: what is read in one form is
//! written in the same.

use heddle_core::labels::{DateForm, DateOrder, read_date};
use parquet::basic::{LogicalType, Repetition, TimeUnit, Type as Physical};
use parquet::errors::ParquetError;
use parquet::schema::types::Type;

/// The form that cells are held in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Stored {
    /// As usual: text, whole numbers and numbers of 64 bits, true and false.
    #[default]
    Usual,
    /// Whole numbers of so many bits.
    Whole {
        /// 8, 16, 32 or 64.
        bits: u8,
        /// Whether they may be below zero.
        signed: bool,
    },
    /// Numbers of 32 bits.
    Single,
    /// Days.
    Date,
    /// Times of the day, in so many parts of a second.
    Time(i64),
    /// Moments.
    Moment {
        /// In so many parts of a second.
        parts: i64,
        /// Whether they are in UTC; else nobody says where the clock hung.
        utc: bool,
    },
    /// Numbers with a fixed number of digits.
    Decimal {
        /// All of them.
        precision: u8,
        /// Those behind the point.
        scale: u8,
    },
}

impl Stored {
    /// The form that the cells of both have.
    pub(crate) fn with(self, other: Self) -> Self {
        if self == other { self } else { Self::Usual }
    }

    /// The column of a Parquet file that holds cells in this form; nothing for the usual one.
    pub(crate) fn field(self, name: &str) -> Option<Result<Type, ParquetError>> {
        let unit = |parts: i64| match parts {
            1_000 => TimeUnit::MILLIS,
            1_000_000 => TimeUnit::MICROS,
            _ => TimeUnit::NANOS,
        };
        let (physical, logical) = match self {
            Self::Usual => return None,
            Self::Whole { bits, signed } => {
                let physical = if bits == 64 { Physical::INT64 } else { Physical::INT32 };
                let plain = bits == 32 && signed;
                (physical, (!plain).then(|| LogicalType::integer(bits as i8, signed)))
            }
            Self::Single => (Physical::FLOAT, None),
            Self::Date => (Physical::INT32, Some(LogicalType::Date)),
            Self::Time(parts) => {
                let physical = if parts == 1_000 { Physical::INT32 } else { Physical::INT64 };
                (physical, Some(LogicalType::time(true, unit(parts))))
            }
            Self::Moment { parts, utc } => (Physical::INT64, Some(LogicalType::timestamp(utc, unit(parts)))),
            Self::Decimal { precision, scale } => {
                let physical = if precision <= 9 { Physical::INT32 } else { Physical::INT64 };
                (physical, Some(LogicalType::decimal(scale.into(), precision.into())))
            }
        };
        let begun = Type::primitive_type_builder(name, physical).with_logical_type(logical);
        let begun = match self {
            Self::Decimal { precision, scale } => {
                begun.with_precision(precision.into()).with_scale(scale.into())
            }
            _ => begun,
        };
        Some(begun.with_repetition(Repetition::OPTIONAL).build())
    }

    /// A cell as the whole number that holds it; nothing if this form holds no such cell.
    pub(crate) fn number(self, cell: &str) -> Option<i64> {
        match self {
            Self::Usual | Self::Single => None,
            Self::Whole { bits: 64, signed: false } => cell.parse::<u64>().ok().map(u64::cast_signed),
            Self::Whole { bits, signed } => {
                let value: i64 = cell.parse().ok()?;
                let below = if signed { bits - 1 } else { bits };
                let least = if signed { -(1i128 << below) } else { 0 };
                (least..1i128 << below).contains(&i128::from(value)).then_some(value)
            }
            Self::Date => days(cell),
            Self::Time(parts) => seconds(cell, parts),
            Self::Moment { parts, .. } => {
                let (date, time) = cell.strip_suffix(" +00:00")?.split_once(' ')?;
                days(date)?.checked_mul(86_400 * parts)?.checked_add(seconds(time, parts)?)
            }
            Self::Decimal { scale, .. } => {
                let (before, behind) = cell.split_once('.').unwrap_or((cell, ""));
                (behind.len() == usize::from(scale))
                    .then(|| format!("{before}{behind}").parse().ok())
                    .flatten()
            }
        }
    }

    /// What cells in this form are, in words.
    pub(crate) fn words(self) -> &'static str {
        match self {
            Self::Usual => "cells",
            Self::Whole { .. } => "whole numbers of its size",
            Self::Single => "numbers",
            Self::Date => "days such as 2025-06-01",
            Self::Time(_) => "times of the day",
            Self::Moment { .. } => "moments in UTC",
            Self::Decimal { .. } => "numbers with a fixed number of digits",
        }
    }
}

/// Days since 1970-01-01 of a date as `leaf.rs` writes it.
fn days(cell: &str) -> Option<i64> {
    let read = read_date(cell, DateOrder::DayFirst)?;
    (cell.len() == "2025-06-01".len() && read.form == DateForm::YearFirst).then(|| read.day.number().into())
}

/// Parts of a second since midnight of a time as `leaf.rs` writes it.
fn seconds(cell: &str, parts: i64) -> Option<i64> {
    let (whole, rest) = cell.split_once('.')?;
    let mut of = whole.split(':').map(|part| part.parse::<i64>().ok());
    let (hours, minutes, seconds) = (of.next()??, of.next()??, of.next()??);
    let rest: i64 = rest.parse().ok().filter(|rest| (0..parts).contains(rest))?;
    Some(((hours * 60 + minutes) * 60 + seconds) * parts + rest)
}
