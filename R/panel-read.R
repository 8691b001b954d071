#' Read a panel from a file
#'
#' Question answered: *how do I get my file in, and what did it hold?* Reads delimited
#' text (`.csv`, `.tsv`, `.txt`: the delimiter is found), spreadsheets (`.xlsx`, `.xls`,
#' with the package `readxl`) and Parquet (with `nanoparquet`).
#'
#' Nothing is converted silently. A column of numbers with a few cells that are none stays
#' text until it is named in `numbers`; the cells that still cannot be read become
#' missing, with a warning that lists each. The kinds of the columns are told in a message.
#'
#' @param file Path.
#' @param entity,period Columns, bare or quoted. Without one of them, likely columns are
#'   proposed with the reason, in an error: they are not taken silently.
#' @param ... Not used.
#' @param periods For periods that are labels: all of them, in order.
#' @param numbers Names of columns to read as numbers, cell by cell.
#' @param missing Spellings of a missing value.
#' @param delimiter,decimal,thousands For text: `NULL` finds the delimiter; decimal comma
#'   as `decimal = ","`; a thousands separator to drop in the columns `numbers`.
#' @param encoding For text: `NULL` tells UTF-8 (with or without mark) from Latin-1.
#' @param sheet,range For spreadsheets: a name or number; cells such as `"B3:H200"`.
#' @return A [panel_frame()].
#' @section Errors:
#' `wavetax_error_no_file`, `wavetax_error_not_a_table`, `wavetax_error_package_needed`,
#' `wavetax_error_no_sheet`, `wavetax_error_keys_not_named`, and those of
#' [panel_frame()]. Warning `wavetax_warning_not_numbers`.
#' @seealso [panel_problems()] for a file that is refused.
#' @examples
#' file <- system.file("extdata", "harbours.csv", package = "wavetax")
#' read_panel(file, harbour, season)
#' @export
read_panel <- function(file, entity, period, ..., periods = NULL, numbers = NULL,
                       missing = c("", "NA"), delimiter = NULL, decimal = ".", thousands = NULL,
                       encoding = NULL, sheet = 1, range = NULL) {
  check_no_dots(..., of = list(call = read_panel, name = "read_panel()", todo = NULL, hidden = NULL))
  check_read_options(missing, delimiter, decimal, thousands, encoding)
  data <- read_table_file(file, missing, delimiter, decimal, encoding, sheet, range)
  data <- convert_numbers(data, numbers, thousands, if (decimal == ",") decimal)
  say_kinds(data)
  entity <- rlang::enquo(entity)
  period <- rlang::enquo(period)
  if (rlang::quo_is_missing(entity) || rlang::quo_is_missing(period)) stop_keys_not_named(data)
  new_panel_frame(
    data, column_name(entity, data, "entity"), column_name(period, data, "period"), periods
  )
}

check_read_options <- function(missing, delimiter, decimal, thousands, encoding) {
  check_texts(missing, "missing", "Give spellings in quotes: `missing = c(\"\", \"NA\", \"n/a\")`.")
  check_choice(decimal, c(".", ","), "decimal")
  for (one in c("delimiter", "thousands", "encoding")) {
    value <- get(one)
    if (!is.null(value)) check_text(value, one)
  }
}

read_table_file <- function(file, missing = c("", "NA"), delimiter = NULL, decimal = ".",
                            encoding = NULL, sheet = 1, range = NULL) {
  check_file(file)
  data <- switch(file_extension(file),
    xlsx = , xls = read_spreadsheet(file, sheet, range, missing),
    parquet = read_parquet_file(file),
    read_delimited(file, missing, delimiter, decimal, encoding)
  )
  check_columns_read(data, file)
  plain_data_frame(data)
}

read_delimited <- function(file, missing, delimiter, decimal, encoding) {
  start <- readBin(file, "raw", min(file.size(file), 1e6))
  if (any(start == as.raw(0))) stop_not_a_table(file, "It is not text.")
  if (is.null(encoding)) encoding <- if (is_utf8(start)) "UTF-8" else "Latin-1"
  read <- function(separator, mark) {
    read_text_table(file, file, na.strings = missing, showProgress = isatty(stderr()), encoding = encoding,
                    sep = separator, dec = mark, blank.lines.skip = FALSE)
  }
  separator <- if (is.null(delimiter)) "auto" else delimiter
  if (!identical(decimal, ",")) return(as_utf8(read(separator, decimal), encoding, file))
  # Some readers do not take a comma between columns when it is the decimal mark too: numbers are then
  # read as text, within quotes as they must be, and converted by column.
  data <- tryCatch(if (!identical(separator, ",")) read(separator, ","), wavetax_error = function(cnd) NULL)
  if (length(data) < 2) data <- read(if (is.null(delimiter)) "," else delimiter, ".")
  as_utf8(data, encoding, file)
}

# Delimited text as it stands: zeros before a code are kept, whole numbers that R's own cannot hold
# stay text, and a quote that was doubled within quotes is one. `name` is the file in messages; of a
# `heading` alone the quotes cannot be judged.
read_text_table <- function(path, name, ..., heading = FALSE) {
  read <- function(...) {
    # A reading that is stopped half way leaves the file open: what was odd is judged after it.
    seen <- new.env(parent = emptyenv())
    data <- tryCatch(
      withCallingHandlers(
        data.table::fread(file = path, data.table = FALSE, check.names = FALSE, integer64 = "character",
                          keepLeadingZeros = TRUE, logical01 = FALSE, ...),
        warning = function(cnd) {
          seen$odd <- c(seen$odd, conditionMessage(cnd))
          tryInvokeRestart("muffleWarning")
        }
      ),
      error = function(cnd) {
        if (is_memory_error(cnd)) rlang::cnd_signal(cnd)
        stop_not_a_table(name, conditionMessage(cnd))
      }
    )
    odd <- seen$odd[!grepl(if (heading) "session was not cleaned|improper quoting" else "session was not cleaned",
                           seen$odd)]
    if (length(odd) > 0) stop_not_a_table(name, odd[1])
    data
  }
  data <- read(...)
  wide <- vapply(data, function(x) is.double(x) && !is.object(x) && any(abs(x) >= 2^53 & x == trunc(x), na.rm = TRUE),
                 TRUE)
  if (any(wide)) {
    classes <- rep("character", sum(wide))
    names(classes) <- names(data)[wide]
    data <- read(..., colClasses = classes)
  }
  names(data) <- one_quote(names(data))
  data[] <- lapply(data, function(x) if (is.character(x)) whole_or_text(one_quote(x)) else x)
  data
}

one_quote <- function(x) {
  if (!any(grepl("\"\"", x, fixed = TRUE))) return(x)
  gsub("\"\"", "\"", x, fixed = TRUE)
}

# A column of whole numbers that came as text because of their length: numbers where R's own hold
# every one of them.
whole_or_text <- function(x) {
  first <- x[!is.na(x)][1]
  if (is.na(first) || !grepl("^-?[0-9]{1,16}$", first)) return(x)
  if (!all(is.na(x) | grepl("^(0|-?[1-9][0-9]{0,15})$", x))) return(x)
  value <- as.numeric(x)
  if (max(abs(value), na.rm = TRUE) < 2^53) value else x
}

# All text in UTF-8, the names of the columns too.
as_utf8 <- function(data, encoding, file) {
  convert <- function(x) {
    if (!is.character(x) || all(validUTF8(x))) return(x)
    iconv(x, if (encoding == "UTF-8") "UTF-8" else "latin1", "UTF-8")
  }
  text <- vapply(data, is.character, logical(1))
  missing <- vapply(data[text], function(x) sum(is.na(x)), 0L)
  data[text] <- lapply(data[text], convert)
  names(data) <- convert(names(data))
  lost <- vapply(data[text], function(x) sum(is.na(x)), 0L) > missing
  if (any(lost) || anyNA(names(data))) {
    stop_not_a_table(file, sprintf("Some text in it is not in %s; give its encoding.", encoding))
  }
  data
}

# Whether bytes are valid UTF-8; a character may be cut at their end.
is_utf8 <- function(bytes) {
  for (cut in 0:3) {
    text <- rawToChar(bytes[seq_len(max(0, length(bytes) - cut))])
    if (validUTF8(text)) return(TRUE)
  }
  FALSE
}

read_spreadsheet <- function(file, sheet, range, missing) {
  check_package("readxl", "reads spreadsheets")
  sheets <- tryCatch(
    readxl::excel_sheets(file),
    error = function(cnd) stop_not_a_table(file, "It is not a spreadsheet, or is damaged.")
  )
  known <- length(sheet) == 1 && (if (is.character(sheet)) sheet %in% sheets else sheet %in% seq_along(sheets))
  if (!known) {
    stop_wavetax("no_sheet", sprintf("The file has no sheet %s.", value_words(sheet)),
                 todo = sprintf("Sheets are %s.", list_some(dQuote(sheets, FALSE), 8)))
  }
  tryCatch(
    readxl::read_excel(file, sheet = sheet, range = range, na = missing, guess_max = 1e6,
                       .name_repair = "minimal", progress = isatty(stderr())),
    error = function(cnd) stop_not_a_table(file, conditionMessage(cnd))
  )
}

read_parquet_file <- function(file, columns = NULL) {
  check_package("nanoparquet", "reads Parquet files")
  tryCatch(
    nanoparquet::read_parquet(file, col_select = columns),
    error = function(cnd) stop_not_a_table(file, conditionMessage(cnd))
  )
}

check_columns_read <- function(data, file) {
  if (ncol(data) < 2) stop_not_a_table(file, "It has one column only; is the delimiter right?")
  if (nrow(data) == 0) stop_not_a_table(file, "It has a header, but no rows.")
  blank <- which(is.na(names(data)) | !nzchar(names(data)))
  if (length(blank) > 0) {
    stop_not_a_table(file, sprintf("%s no name.", if (length(blank) == 1) paste("Column", blank, "has") else
      paste("Columns", list_some(blank), "have")))
  }
  repeated <- unique(names(data)[duplicated(names(data))])
  if (length(repeated) > 0) {
    stop_not_a_table(file, sprintf("Several columns are called %s.", list_some(sQuote(repeated, FALSE))))
  }
}

check_file <- function(file) {
  if (!is.character(file) || length(file) != 1 || is.na(file)) {
    stop_wavetax("no_file", "`file` is not one path.", todo = "Give the path of a file in quotes.")
  }
  if (dir.exists(file)) stop_not_a_table(file, "It is a folder.")
  if (!file.exists(file)) {
    near <- near_names(basename(file), list.files(dirname(file)))
    stop_wavetax(
      "no_file", sprintf("There is no file %s.", sQuote(file, FALSE)),
      todo = if (length(near) > 0) sprintf("Did you mean %s?", list_words(sQuote(near, FALSE)))
    )
  }
  if (file.size(file) == 0) stop_not_a_table(file, "It is empty.")
}

stop_not_a_table <- function(file, where) {
  stop_wavetax(
    "not_a_table", sprintf("The file %s could not be read as a table.", sQuote(file, FALSE)),
    where = gsub("\\s*\n\\s*", " ", where),
    todo = "It should be a table with the names of the columns in its first row."
  )
}

# The columns named in `numbers`, cell by cell. What is still no number becomes missing and is
# listed.
convert_numbers <- function(data, numbers, thousands = NULL, decimal = NULL) {
  check_texts(numbers, "numbers", "Name columns in quotes: `numbers = \"x\"`.")
  check_columns(numbers, data)
  for (name in numbers) {
    x <- data[[name]]
    if (is.numeric(x) && !is.factor(x)) next
    value <- numbers_from_text(as.character(x), name, thousands, decimal)
    lost <- which(is.na(value) & !is_blank(as.character(x)))
    if (length(lost) > 0) {
      warn_wavetax(
        "not_numbers", sprintf("`%s` has %s not read as numbers, now missing.", name,
                               count_of(length(lost), "cell")),
        where = sprintf("%s.", list_some(sprintf("\"%s\" (row %d)", x[lost], lost), 10))
      )
    }
    data[[name]] <- value
  }
  data
}

# Whether commas are decimal or thousands marks is told by the whole column; a column whose commas
# may be either is not read until it is said.
numbers_from_text <- function(x, name, thousands = NULL, decimal = NULL) {
  text <- trimws(x)
  if (!is.null(thousands)) text <- gsub(thousands, "", text, fixed = TRUE)
  if (is.null(decimal) && any(grepl(",", text, fixed = TRUE))) {
    decimal <- if (is.null(thousands)) comma_means(text, name) else ","
  }
  if (identical(decimal, ",")) {
    text <- sub("^([-+]?[0-9]*),([0-9]+([eE][-+]?[0-9]+)?)$", "\\1.\\2", text)
  } else if (identical(decimal, "thousands")) {
    grouped <- grepl("^[-+]?[0-9]{1,3}(,[0-9]{3})+(\\.[0-9]+)?$", text)
    text[grouped] <- gsub(",", "", text[grouped], fixed = TRUE)
  }
  suppressWarnings(as.numeric(text))
}

# "," where commas are decimal marks, "thousands" where they mark those.
comma_means <- function(text, name) {
  values <- unique(text[grepl(",", text, fixed = TRUE)])
  either <- grepl("^[-+]?[1-9][0-9]{0,2},[0-9]{3}$", values)
  groups <- grepl("^[-+]?[0-9]{1,3}(,[0-9]{3}){2,}(\\.[0-9]+)?$|^[-+]?[0-9]{1,3}(,[0-9]{3})+\\.[0-9]+$", values)
  comma <- grepl("^[-+]?[0-9]*,[0-9]+([eE][-+]?[0-9]+)?$", values) & !either & !groups
  if (any(comma) && !any(groups)) return(",")
  if (any(groups) && !any(comma)) return("thousands")
  if (!any(comma) && !any(groups) && !any(either)) return(NULL)
  shown <- c(values[either], values[comma], values[groups])[1]
  stop_wavetax(
    "ambiguous_numbers",
    if (any(comma)) {
      sprintf("`%s` has commas as decimal marks in some cells and between thousands in others.", name)
    } else {
      sprintf("The commas of `%s` may be decimal or thousands marks.", name)
    },
    where = if (any(comma)) {
      sprintf("%s and %s.", dQuote(values[comma][1], FALSE), dQuote(values[groups][1], FALSE))
    } else {
      sprintf("%s is %s or %s.", dQuote(shown, FALSE), gsub(",", "", shown, fixed = TRUE),
              sub(",", ".", shown, fixed = TRUE))
    },
    todo = "Say which: `decimal = \",\"`, or `thousands = \",\"`."
  )
}

column_kind <- function(x) {
  if (inherits(x, "Date")) return("dates")
  if (inherits(x, "POSIXct")) return("times")
  if (is.factor(x) || is.character(x)) return("text")
  if (is.logical(x)) return(if (all(is.na(x))) "empty" else "true and false")
  if (is_whole(x)) "whole numbers" else "numbers"
}

say_kinds <- function(data) {
  kinds <- vapply(data, column_kind, "")
  lines <- vapply(unique(kinds), function(kind) {
    sprintf("%s: %s", kind, list_some(names(data)[kinds == kind], 12))
  }, "")
  tell_wavetax(
    c(sprintf("%s, %s.", count_of(nrow(data), "row"), count_of(ncol(data), "column")),
      stats::setNames(lines, rep("*", length(lines)))),
    class = "wavetax_message_kinds"
  )
}

# Columns that could be the keys, each with its reason.
stop_keys_not_named <- function(data) {
  n <- nrow(data)
  different <- vapply(data, function(x) length(unique(x)), 0L)
  period <- vapply(data, function(x) {
    if (inherits(x, "Date")) return(TRUE)
    if (is.numeric(x)) return(is_whole(x) && all(x > 1800 & x < 2200, na.rm = TRUE))
    is.character(x) && !is.null(read_periods(utils::head(unique(x[!is.na(x)]), 50)))
  }, logical(1))
  entity <- vapply(data, function(x) is.character(x) || is.factor(x) || is_whole(x), logical(1)) &
    !period & different > 1 & different < n
  pairs <- expand.grid(entity = names(data)[entity], period = names(data)[period], stringsAsFactors = FALSE)
  unique_pair <- mapply(function(e, p) !anyDuplicated(data[c(e, p)]), pairs$entity, pairs$period)
  good <- pairs[as.logical(unique_pair), ]
  good <- good[order(-different[good$entity], good$entity), ]
  where <- if (nrow(good) > 0) {
    sprintf("entity `%s` (%s) and period `%s` (%s): no two rows share both", good$entity,
            count_of_each(different[good$entity], "value"), good$period,
            count_of_each(different[good$period], "value"))
  } else {
    c(
      if (any(period)) sprintf("Likely periods, by their values: %s.", list_some(names(data)[period])),
      if (any(entity)) sprintf("Likely entities, as their values repeat: %s.", list_some(names(data)[entity]))
    )
  }
  stop_wavetax(
    "keys_not_named", "Which column is the entity, and which the period?",
    where = utils::head(where, 3), todo = "Name both: `read_panel(file, entity, period)`."
  )
}

count_of_each <- function(n, noun) vapply(n, count_of, "", noun)
