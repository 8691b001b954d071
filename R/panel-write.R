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
  plain <- plain_data_frame(data)
  writer <- switch(file_extension(file),
    csv = function(to) data.table::fwrite(plain, to, na = "", dateTimeAs = "ISO"),
    tsv = function(to) data.table::fwrite(plain, to, sep = "\t", na = "", dateTimeAs = "ISO"),
    xlsx = function(to) {
      check_package("openxlsx", "writes spreadsheets")
      openxlsx::write.xlsx(plain, to)
    },
    parquet = function(to) {
      check_package("nanoparquet", "writes Parquet files")
      nanoparquet::write_parquet(plain, to)
    },
    stop_wavetax("format", sprintf("The data cannot be written to %s.", sQuote(file, FALSE)),
                 todo = "End the name in .csv, .tsv, .xlsx or .parquet.")
  )
  write_whole_file(file, writer)
}

file_extension <- function(file) tolower(sub("^.*\\.", "", basename(file)))

# `write(path)` writes beside the file's place; then it is renamed, so that there is never
# half a file.
write_whole_file <- function(file, write) {
  check_folder(dirname(file))
  partial <- tempfile("partial-", tmpdir = dirname(file), fileext = paste0(".", file_extension(file)))
  on.exit(unlink(partial))
  write(partial)
  rename_whole_file(partial, file)
  invisible(file)
}

check_package <- function(package, use) {
  if (requireNamespace(package, quietly = TRUE)) return(invisible())
  stop_wavetax("package_needed", sprintf("The package %s, which %s, is not installed.", package, use),
               todo = sprintf("`install.packages(\"%s\")`, or use CSV.", package))
}

check_folder <- function(folder) {
  if (dir.exists(folder) && file.access(folder, 2) == 0) return(invisible())
  stop_wavetax("cannot_write", sprintf("Nothing can be written to the folder %s.", sQuote(folder, FALSE)),
               todo = "Make the folder first, or choose another.")
}

rename_whole_file <- function(partial, file) {
  if (!dir.exists(file) && file.rename(partial, file)) return(invisible(file))
  stop_wavetax("cannot_write", sprintf("%s cannot be replaced.", sQuote(file, FALSE)),
               todo = "Is it a folder, or open in another program?")
}
