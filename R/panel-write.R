#' Write a panel to a file
#'
#' Question answered: *how do I keep the panel, with its keys, kinds and order?* The
#' format follows from the extension: `.csv`, `.tsv`, `.xlsx` (with the package
#' `openxlsx`), `.parquet` (with `nanoparquet`). The file is written beside its place and
#' then renamed. [read_panel()] reads it back.
#'
#' @param data A data frame.
#' @param file Path; an existing file is replaced.
#' @param ... Takes nothing; what is misspelt is told.
#' @return `file`, invisibly.
#' @section Errors:
#' `wavetax_error_format` for another ending, or for more rows, columns or signs in a cell than a sheet holds;
#' `wavetax_error_package_needed`; `wavetax_error_cannot_write` when not all of it arrived: what was there is as it was.
#' @examples
#' file <- file.path(tempdir(), "harbours.csv")
#' write_panel(panel_frame(harbours, harbour, season), file)
#' all.equal(as.data.frame(read_panel(file, harbour, season)), harbours)
#' @export
write_panel <- function(data, file, ...) {
  check_own_arguments(..., of = write_panel, name = "write_panel()")
  check_is_table(data)
  extension <- check_ending(file, c("csv", "tsv", "xlsx", "parquet"), "The data")
  plain <- map_columns(plain_data_frame(data), plain_column)
  writer <- switch(extension,
    csv = text_writer(plain, ","), tsv = text_writer(plain, "\t"), xlsx = workbook_writer(plain, file),
    parquet = list(write = function(to) {
      check_package("nanoparquet", "writes Parquet files")
      nanoparquet::write_parquet(plain, to)
    })
  )
  write_whole_file(file, writer$write, writer$lacks)
}

# A writer is list(write, lacks): lacks(path) says what of the table did not arrive there, NULL for nothing.
text_writer <- function(data, separator) {
  quoted <- quoted_text(data, separator)
  write_rows <- function(rows, to, header) {
    data.table::fwrite(rows, to, sep = separator, na = "", dateTimeAs = "ISO", dec = ".", quote = FALSE,
                       eol = "\n", col.names = header)
  }
  list(
    write = function(to) write_rows(quoted, to, TRUE),
    lacks = function(path) {
      rows <- nrow(data)
      counts <- core_text_counts(path.expand(path), separator)
      whole <- identical(counts, c(records = rows + 1, cells = (rows + 1) * ncol(data)))
      if (!whole) {
        return(sprintf("%s of %s arrived.", count_words(max(0, counts[["records"]] - 1)), count_of(rows, "row")))
      }
      # The last row once more, which must be how the file ends.
      last <- partial_name(path)
      on.exit(unlink(last))
      write_rows(utils::tail(quoted, 1), last, rows == 0)
      size <- file.size(last)
      if (!identical(file_end(path, size), file_end(last, size))) "Its last row is not whole."
    }
  )
}

# Text in quotes where it would not be read back as it is: with the separator, a quote, an end of
# line or blanks at its ends, or where it looks like a missing value. Quotes within are doubled.
quoted_text <- function(data, separator) {
  quote <- function(x) {
    x <- as.character(x)
    risky <- !is.na(x) & (grepl(sprintf("[%s\"\n\r]|^\\s|\\s$", separator), x) | x %in% c("NA", ""))
    x[risky] <- paste0("\"", gsub("\"", "\"\"", x[risky], fixed = TRUE), "\"")
    x
  }
  data <- map_columns(data, function(x) if (is.character(x) || is.factor(x)) quote(x) else x)
  names(data) <- quote(names(data))
  data
}

workbook_writer <- function(data, file) {
  check_package("openxlsx", "writes spreadsheets")
  check_fits_sheet(data, file)
  data <- map_columns(data, function(x) if (is.character(x) || is.factor(x)) sheet_text(as.character(x)) else x)
  names(data) <- sheet_text(names(data))
  list(
    write = function(to) openxlsx::write.xlsx(data, to),
    lacks = function(path) {
      sheet <- "xl/worksheets/sheet1.xml"
      rows <- tryCatch(cell_extent(path, sheet)[["rows"]], error = function(cnd) NA)
      if (!identical(rows, nrow(data) + 1) || !part_ends(path, sheet, "</worksheet>")) return("Its sheet is not whole.")
      if (!part_ends(path, "xl/sharedStrings.xml", "</sst>")) return("Its texts are not whole.")
    }
  )
}

# Where a text holds the form `_x0041_`, by which sheets write signs, its first line is written so itself.
sheet_text <- function(x) gsub("_(x[0-9A-Fa-f]{4}_)", "_x005F_\\1", x)

check_fits_sheet <- function(data, file) {
  refuse <- function(found, where = NULL) {
    stop_wavetax("format", sprintf("%s: %s", sQuote(file, FALSE), found), where,
                 todo = "Let the name end in .csv or .parquet, which have no such limit.")
  }
  if (nrow(data) + 1 > sheet_limits$rows || ncol(data) > sheet_limits$columns) {
    refuse(sprintf("a sheet holds %s rows and %s columns at most.", count_words(sheet_limits$rows - 1),
                   count_words(sheet_limits$columns)),
           sprintf("The data have %s and %s.", count_words(nrow(data)), count_words(ncol(data))))
  }
  for (name in names(data)) {
    x <- data[[name]]
    long <- if (is.character(x) || is.factor(x)) which(nchar(as.character(x), "chars") > sheet_limits$signs)
    if (length(long) > 0) {
      refuse(sprintf("a cell of a sheet holds %s signs at most.", count_words(sheet_limits$signs)),
             sprintf("`%s` has more in %s.", name, row_words(long)))
    }
  }
}
