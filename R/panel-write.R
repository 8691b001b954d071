#' Write a panel to a file
#'
#' Question answered: *how do I keep the panel, with its keys, kinds and order?* The
#' format follows from the extension: `.csv`, `.tsv`, `.xlsx` (with the package
#' `openxlsx`), `.parquet` (with `nanoparquet`). The file is written beside its place and
#' then renamed. [read_panel()] reads it back.
#'
#' @param data A data frame.
#' @param file Path; an existing file is replaced.
#' @return `file`, invisibly.
#' @section Errors:
#' `wavetax_error_format`, `wavetax_error_package_needed`, `wavetax_error_cannot_write`.
#' @examples
#' file <- file.path(tempdir(), "harbours.csv")
#' write_panel(panel_frame(harbours, harbour, season), file)
#' all.equal(as.data.frame(read_panel(file, harbour, season)), harbours)
#' @export
write_panel <- function(data, file) {
  check_is_table(data)
  extension <- check_ending(file, c("csv", "tsv", "xlsx", "parquet"), "The data")
  plain <- plain_data_frame(data)
  plain[] <- lapply(plain, plain_column)
  write_whole_file(file, switch(extension,
    csv = text_writer(plain, ","), tsv = text_writer(plain, "\t"),
    xlsx = function(to) {
      check_package("openxlsx", "writes spreadsheets")
      openxlsx::write.xlsx(plain, to)
    },
    parquet = function(to) {
      check_package("nanoparquet", "writes Parquet files")
      nanoparquet::write_parquet(plain, to)
    }
  ))
}

text_writer <- function(data, separator) {
  function(to) {
    data.table::fwrite(quoted_text(data, separator), to, sep = separator, na = "", dateTimeAs = "ISO",
                       dec = ".", quote = FALSE)
  }
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
  text <- vapply(data, function(x) is.character(x) || is.factor(x), TRUE)
  data[text] <- lapply(data[text], quote)
  names(data) <- quote(names(data))
  data
}
