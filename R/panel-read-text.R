# Delimited text: the delimiter and the encoding are found; what is odd about the file is an error.

read_delimited <- function(file, options) {
  start <- readBin(file, "raw", min(file.size(file), 1e6))
  check_is_text(start, file)
  encoding <- options$encoding
  if (is.null(encoding)) encoding <- found_encoding(start, file)
  if (is.null(options$delimiter)) options$delimiter <- find_delimiter(start)
  if (!is.null(options$range) || options$header != 1 || options$layout == "find") {
    return(read_text_block(file, options, encoding))
  }
  data <- tryCatch(read_with_delimiter(file, options, encoding), wavetax_error_not_a_table = function(cnd) {
    if (grepl("A quote is opened", conditionMessage(cnd), fixed = TRUE)) check_even(file, options)
    check_layout(file, options, encoding)
    check_even(file, options)
    rlang::cnd_signal(cnd)
  })
  if (nrow(data) == 0) check_even(file, options)
  named <- headings_of(names(data), file, encoding)
  if (named$odd || is_odd_end(data)) check_layout(file, options, encoding)
  names(data) <- named$names
  data <- without_empty(data)
  if (is.null(options$decimal)) points_as_text(data, file, options, encoding) else data
}

# In a file with decimal commas a column such as 1.178 and 932 may have points between thousands: it comes
# as text, and the attribute `commas` says why.
points_as_text <- function(data, file, options, encoding) {
  points <- vapply(data, function(x) is.double(x) && !is.object(x), TRUE)
  text <- vapply(data, is.character, TRUE)
  if (!any(points) || !any(text)) return(data)
  commas <- vapply(data[text], function(x) "comma_decimal" %in% names(column_numbers(x, options$cells)$said), TRUE)
  if (!any(commas)) return(data)
  classes <- stats::setNames(rep("character", sum(points)), names(data)[points])
  again <- read_with_delimiter(file, options, encoding, colClasses = classes)
  options$cells$commas <- TRUE
  open <- vapply(again[points], function(x) identical(column_numbers(x, options$cells)$status, "question"), TRUE)
  data[which(points)[open]] <- again[which(points)[open]]
  structure(data, commas = TRUE)
}

# The delimiter that cuts the most lines alike; NULL where none of the usual ones does.
delimiters <- c(",", ";", "\t", "|")
find_delimiter <- function(bytes) {
  text <- rawToChar(bytes)
  lines <- strsplit(gsub("\"[^\"]*\"", "", text, useBytes = TRUE), "\r?\n", useBytes = TRUE)[[1]]
  lines <- utils::head(lines[nzchar(lines)], 200)
  alike <- vapply(delimiters, function(one) {
    cuts <- lengths(regmatches(lines, gregexpr(one, lines, fixed = TRUE, useBytes = TRUE)))
    cuts <- cuts[cuts > 0]
    if (length(cuts) == 0) 0 else max(table(cuts))
  }, 0)
  if (max(alike) > 0) delimiters[which.max(alike)]
}

check_is_text <- function(start, file) {
  starts <- function(kind) starts_as(start, kind)
  if (starts("utf16") || starts("utf16_back")) {
    stop_not_a_table(file, "It is text in UTF-16.", "Save it as CSV in UTF-8.")
  }
  if (starts("zip")) {
    stop_not_a_table(file, "It is a packed file (zip).", "Unpack it; a workbook ends in .xlsx.")
  }
  if (starts("gzip")) stop_not_a_table(file, "It is a packed file (gzip).", "Unpack it first.")
  if (starts("ole")) {
    stop_not_a_table(file, "It is an old workbook under another ending.", "Let its name end in .xls.")
  }
  if (starts("pdf")) {
    stop_not_a_table(file, "It is a PDF.", "Copy the table into a workbook or CSV.")
  }
  page <- "^\\s*<(![Dd][Oo][Cc][Tt][Yy][Pp][Ee]|[Hh][Tt][Mm][Ll])"
  if (grepl(page, rawToChar(utils::head(start[start != 0], 200)), useBytes = TRUE)) {
    stop_not_a_table(file, "It is a web page.", "Save the table itself, as CSV or .xlsx.")
  }
  if (core_holds_zero(enc2native(path.expand(file)))) stop_no_text(file)
  if (!any(start > as.raw(0x20))) stop_not_a_table(file, "It is empty but for spaces and line ends.")
  if (grepl("^\\s*[[{]\\s*[[{\"]", rawToChar(utils::head(start, 200)), useBytes = TRUE)) {
    stop_not_a_table(file, "It is JSON.", "Save its table as CSV, or make it a data frame first.")
  }
}

stop_no_text <- function(file) {
  stop_not_a_table(file, "It is not text: a byte in it is zero.", "Save it as CSV or .xlsx.")
}

read_with_delimiter <- function(file, options, encoding, ...) {
  read <- function(separator, mark) {
    read_text_table(file, file, na.strings = options$missing, showProgress = isatty(stderr()), encoding = encoding,
                    sep = separator, dec = mark, header = TRUE, blank.lines.skip = FALSE, ...)
  }
  separator <- if (is.null(options$delimiter)) "auto" else options$delimiter
  if (!identical(options$decimal, ",")) return(as_utf8(read(separator, "."), encoding, file))
  # Some readers do not take a comma between columns when it is the decimal mark too: numbers are then
  # read as text, within quotes as they must be, and converted by column.
  data <- tryCatch(if (!identical(separator, ",")) read(separator, ","), wavetax_error = function(cnd) NULL)
  if (length(data) < 2) data <- read(if (is.null(options$delimiter)) "," else options$delimiter, ".")
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
    seen$odd <- sub("^Found and resolved improper quoting.*", "A quote is opened and not closed.", seen$odd)
    odd <- seen$odd[!grepl(if (heading) "session was not cleaned|A quote is opened" else "session was not cleaned",
                           seen$odd)]
    if (length(odd) > 0) stop_not_a_table(name, odd[1])
    data
  }
  data <- read(...)
  wide <- vapply(data, function(x) is.double(x) && !is.object(x) && core_number_facts(x)$largest >= 2^53, TRUE)
  if (any(wide)) {
    classes <- rep("character", sum(wide))
    names(classes) <- names(data)[wide]
    data <- read(..., colClasses = classes)
  }
  names(data) <- one_quote(names(data))
  data <- map_columns(data, function(x) if (is.character(x)) whole_or_text(one_quote(x)) else x)
  data
}

one_quote <- function(x) {
  if (!core_any_contains(x, "\"\"")) return(x)
  gsub("\"\"", "\"", x, fixed = TRUE)
}

# A column of whole numbers that came as text because of their length: numbers where none has the 15
# digits of a code.
whole_or_text <- function(x) {
  first <- x[1]
  if (is.na(first)) first <- x[which.min(is.na(x))]
  if (length(first) == 0 || is.na(first) || !grepl("^-?[0-9]{1,14}$", first)) return(x)
  if (!all(is.na(x) | grepl("^(0|-?[1-9][0-9]{0,13})$", x))) return(x)
  as.numeric(x)
}

# All text in UTF-8, the names of the columns too.
as_utf8 <- function(data, encoding, file) {
  convert <- function(x) {
    if (all(validUTF8(x))) return(x)
    iconv(x, if (encoding == "UTF-8") "UTF-8" else "latin1", "UTF-8")
  }
  lost <- FALSE
  data <- map_columns(data, function(x) {
    if (!is.character(x) || all(validUTF8(x))) return(x)
    out <- convert(x)
    lost <<- lost || sum(is.na(out)) > sum(is.na(x))
    out
  })
  names(data) <- convert(names(data))
  if (lost || anyNA(names(data))) {
    stop_not_a_table(file, sprintf("Some text in it is not in %s; give its encoding.", encoding))
  }
  data
}

# UTF-8 where all bytes are; Latin-1 where none of what is not ASCII is.
found_encoding <- function(bytes, file) {
  if (is_utf8(bytes)) return("UTF-8")
  lines <- strsplit(rawToChar(bytes[bytes != 0]), "\n", fixed = TRUE, useBytes = TRUE)[[1]]
  beyond <- grepl("[^ -~\t\r]", lines, useBytes = TRUE)
  utf8 <- which(beyond & validUTF8(lines))
  other <- which(beyond & !validUTF8(lines))
  if (length(utf8) > 0 && length(other) > 0) {
    stop_not_a_table(file, sprintf("It is written in two encodings: UTF-8 in line %s, another in line %s.",
                                   count_words(utf8[1]), count_words(other[1])),
                     "Save it in one, or say `encoding = \"Latin-1\"`.")
  }
  "Latin-1"
}

# Whether bytes are valid UTF-8; a character may be cut at their end.
is_utf8 <- function(bytes) {
  for (cut in 0:3) {
    text <- rawToChar(bytes[seq_len(max(0, length(bytes) - cut))])
    if (validUTF8(text)) return(TRUE)
  }
  FALSE
}

# All cells as text, a row a line; NA where blank.
text_cells <- function(file, options, encoding) {
  check_few_quotes(file)
  separator <- if (is.null(options$delimiter)) "," else options$delimiter
  data <- tryCatch({
    fields <- utils::count.fields(file, separator, quote = "\"", comment.char = "", blank.lines.skip = FALSE)
    utils::read.table(file, sep = separator, quote = "\"", header = FALSE, fill = TRUE, colClasses = "character",
                      comment.char = "", blank.lines.skip = FALSE, na.strings = options$missing, skipNul = TRUE,
                      col.names = paste0("V", seq_len(max(fields, 1, na.rm = TRUE))))
  }, error = function(cnd) stop_not_a_table(file, conditionMessage(cnd)), warning = function(cnd) {
    stop_not_a_table(file, conditionMessage(cnd))
  })
  cells <- as.matrix(as_utf8(data, encoding, file))
  cells[1] <- sub("^\ufeff", "", cells[1])
  without_blanks(cells)
}

# Cutting a line takes as long as the square of its quotes.
most_quotes <- 2e4
check_few_quotes <- function(file) {
  quotes <- quotes_by_line(file)
  if (max(quotes, 0) <= most_quotes) return(invisible())
  stop_not_a_table(file, sprintf("Line %s has %s quotes.", count_words(which.max(quotes)), count_words(max(quotes))),
                   "Is a quote opened and not closed?")
}

quotes_by_line <- function(file) {
  nchar(gsub("[^\"]+", "", readLines(file, warn = FALSE, skipNul = TRUE), useBytes = TRUE), "bytes")
}

# The names of the columns, blank where the heading is: some readers make up a name then, or leave lines
# above the table out by themselves, which is `odd`.
headings_of <- function(names, file, encoding) {
  line <- readLines(file, 1, warn = FALSE, encoding = encoding, skipNul = TRUE)
  words <- strsplit(line, "[^A-Za-z0-9]+", useBytes = TRUE)[[1]]
  made <- is.na(names) | !nzchar(names) | grepl("^V[0-9]+$", names) & !names %in% words
  names[made] <- ""
  within <- vapply(utils::head(names[!made], 3), grepl, TRUE, line, fixed = TRUE, useBytes = TRUE)
  list(names = names, odd = any(made) || !all(within))
}

# Lines that end in a delimiter make a column without a name or a value: it is left out, and told.
without_empty <- function(data) {
  gone <- !nzchar(names(data))
  gone[gone] <- vapply(data[gone], function(x) all(is.na(x)), TRUE)
  if (!any(gone)) return(data)
  tell_wavetax(c(i = sprintf("Left out: %s without a name or a value.", count_of(sum(gone), "column"))),
                class = "wavetax_message_left_out")
  data[!gone]
}

# The quote that is never closed, or the first line that has not as many cells as the headings.
check_even <- function(file, options) {
  odd <- quotes_by_line(file) %% 2 == 1
  if (sum(odd) %% 2 == 1) {
    stop_not_a_table(file, sprintf("A quote is opened and not closed: line %s has an odd number of them.",
                                   count_words(which(odd)[1])), "Close it, or take it out.")
  }
  separator <- if (is.null(options$delimiter)) "," else options$delimiter
  fields <- tryCatch(suppressWarnings(utils::count.fields(file, separator, quote = "\"", comment.char = "")),
                     error = function(cnd) NULL)
  odd <- which(!is.na(fields) & fields != fields[1])
  if (length(odd) == 0 || is.na(fields[1])) return(invisible())
  stop_not_a_table(file, sprintf("Its headings have %s, line %s has %s.", count_of(fields[1], "cell"),
                                 count_words(odd[1]), label_text(fields[odd[1]])),
                   "Is a delimiter within text not in quotes, or a line cut?")
}

# An error that offers the table, where it does not fill the file.
check_layout <- function(file, options, encoding) {
  cells <- tryCatch(text_cells(file, options, encoding), wavetax_error = function(cnd) NULL)
  found <- if (!is.null(cells)) find_table(cells)
  if (is.null(found) || is_whole_table(found)) return(invisible())
  stop_layout(file, found, row_texts(cells), options)
}

# The table within a text file: as `range` and `header` say, or as found.
read_text_block <- function(file, options, encoding) {
  cells <- text_cells(file, options, encoding)
  found <- if (is.null(options$range)) find_table(cells) else range_limits(options$range)
  if (is.null(found)) stop_not_a_table(file, "No table was found among its rows.")
  found$header <- if (options$header != 1 || is.null(found$header)) options$header else found$header
  if (is.null(options$range) && !is_whole_table(found)) say_found(found, row_texts(cells))
  block_of_cells(cells, found, file)
}
