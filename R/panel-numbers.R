# The one reader of numbers. How a column's cells are to be read is decided for all of them together:
# which mark is the decimal one, which stands between thousands, what percent signs, currencies and
# words for missing mean. What the cells allow in two ways is not read until it is said.

# In the order in which the core counts them.
number_marks <- c(
  "comma_decimal", "comma_thousands", "comma_either", "point_decimal", "point_thousands", "point_either",
  "space_thousands", "apostrophe_thousands", "percent", "brackets", "minus_behind", "minus_sign", "currency",
  "zeros_before", "many_digits", "plain_thousand"
)

# Words that stand for no value in a column of numbers, besides those that the caller names.
words_for_missing <- c(
  "na", "n/a", "n.a.", "n.a", "#n/a", "n.d.", ".", "..", "...", "-", "--", "\u2013", "\u2014", "\u2026", ":", "?",
  "nan", "null", "none", "missing", "not available", "not applicable", "unknown", "#div/0!", "#value!", "#ref!",
  "#num!", "#name?", "#null!"
)

# Codes of ISO 4217, and short forms that stand beside amounts.
currency_words <- c(
  strsplit(paste(
    "AED AFN ALL AMD ANG AOA ARS AUD AWG AZN BAM BBD BDT BGN BHD BIF BMD BND BOB BRL BSD BTN BWP BYN BZD CAD CDF CHF",
    "CLP CNY COP CRC CUP CVE CZK DJF DKK DOP DZD EGP ERN ETB EUR FJD FKP GBP GEL GHS GIP GMD GNF GTQ GYD HKD HNL HRK",
    "HTG HUF IDR ILS INR IQD IRR ISK JMD JOD JPY KES KGS KHR KMF KPW KRW KWD KYD KZT LAK LBP LKR LRD LSL LYD MAD MDL",
    "MGA MKD MMK MNT MOP MRU MUR MVR MWK MXN MYR MZN NAD NGN NIO NOK NPR NZD OMR PAB PEN PGK PHP PKR PLN PYG QAR RON",
    "RSD RUB RWF SAR SBD SCR SDG SEK SGD SHP SLE SOS SRD SSP STN SVC SYP SZL THB TJS TMT TND TOP TRY TTD TWD TZS UAH",
    "UGX USD UYU UZS VES VND VUV WST XAF XCD XOF XPF YER ZAR ZMW ZWL"
  ), " ")[[1]],
  "US$", "A$", "C$", "NZ$", "R$", "kr", "kr.", "Kr", "Kr.", "K\u010d", "z\u0142", "Ft", "Fr", "Fr.", "Rs", "Rs.", "lei"
)

# What the user said of numbers; NULL is left to the column.
number_options <- function(decimal = NULL, thousands = NULL, percent = NULL, missing = NULL, kind = "argument") {
  if (!is.null(decimal)) check_choice(decimal, c(".", ","), "decimal", kind)
  if (!is.null(thousands)) {
    if (is_one_text(thousands) && thousands %in% c("\u00a0", "\u202f", "\u2009")) thousands <- " "
    if (identical(thousands, "\u2019")) thousands <- "'"
    check_choice(thousands, c(",", ".", " ", "'"), "thousands", kind)
    if (identical(decimal, thousands)) {
      stop_argument("thousands", sprintf("%s, as `decimal` is", dQuote(decimal, FALSE)), "Give two marks.", kind)
    }
  }
  if (!is.null(percent)) check_choice(percent, c("share", "number"), "percent", kind)
  check_texts(missing, "missing", "Give spellings in quotes: `missing = c(\"\", \"NA\", \"n/a\")`.", kind)
  list(decimal = decimal, thousands = thousands, percent = percent,
       missing = unique(c(words_for_missing, lower_case(trimws(missing)))))
}

# A column of text read as numbers: list(status, value, lost, missing, said, question). The status is
#   "numbers"    every cell is a number or a word for missing, but those in `lost`
#   "text"       most cells are none
#   "codes"      whole numbers with zeros in front or 15 digits: a number would lose some of them
#   "question"   the cells can be read in two ways: `question` says which, and what to say
# `said` has what was done besides plain reading, in words.
cells_at_first <- 500
column_numbers <- function(x, options) {
  role <- given_roles(options)
  seen <- read_cells(x, role, options, cells_at_first)
  if (is.null(seen$value) || seen$numbers == 0) return(list(status = "text"))
  counts <- seen$counts
  if (counts[["zeros_before"]] + counts[["many_digits"]] > 0) return(list(status = "codes", first = seen$first))
  question <- number_question(seen, role, options, x)
  if (!is.null(question)) return(list(status = "question", question = question, lost = seen$not_numbers))
  decided <- decide_roles(counts, role, seen$numbers, isTRUE(options$commas))
  again <- c(counts[["comma_either"]], counts[["point_either"]]) > 0 & decided != c(2L, 1L)
  if (all(role == 0L) && any(again)) seen <- read_cells(x, decided, options, 0)
  list(status = "numbers", value = seen$value, lost = seen$not_numbers, missing = seen$missing,
       filled = seen$filled, said = number_words(x, seen), counts = seen$counts, currencies = seen$currencies)
}

read_cells <- function(x, role, options, sample) {
  seen <- core_read_numerals(x, role[["comma"]], role[["point"]], identical(options$percent, "share"), currency_words,
                            options$missing, sample)
  if (is.null(seen$value)) return(seen)
  names(seen$counts) <- names(seen$first) <- number_marks
  seen
}

# Roles of the marks: 0 open, 1 decimal, 2 between thousands.
given_roles <- function(options) {
  comma <- point <- 0L
  if (identical(options$decimal, ",") || identical(options$thousands, ".")) {
    comma <- 1L
    point <- 2L
  } else if (identical(options$decimal, ".") || identical(options$thousands, ",")) {
    comma <- 2L
    point <- 1L
  }
  c(comma = comma, point = point)
}

# As a reader of delimited text has it: numbers where every cell is one as it stands.
plain_numbers <- function(x) {
  if (any(grepl("^[-+]?0[0-9]|^[-+]?[0-9]{15,}$", x))) return(x)
  value <- suppressWarnings(as.numeric(x))
  if (any(is.na(value) & !is.na(x))) return(x)
  if (is_whole(value) && all(abs(value) < .Machine$integer.max, na.rm = TRUE)) as.integer(value) else value
}
