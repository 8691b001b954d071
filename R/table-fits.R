#' Save fits, and read them back to compare
#'
#' Question answered: *how do I set today's model beside last month's?* What is printed and
#' tabulated of fits is saved as JSON: coefficients, their covariance, errors, sample, effects,
#' figures of fit; not the data. [spec_table()] takes what is read back, with other fits.
#'
#' The file holds `format` (`"wavetax fits"`), `version` (3) and `fits`, an object with an entry
#' a fit: `method`, `formula`, `outcome`, `title`, `sample`, `coefficients` (a record a term:
#' `term`, `estimate`, `std_error`, `statistic`, `p_value`, `low`, `high`, `aside`: whether it is
#' reported beside the others), `covariance` (by row, in the terms' order), `errors`
#' (`label`, `type`, `df` by coefficient, `clusters` by dimension, `notes`), `effects`, `rows`,
#' `r_squared`, `figures` and more. Numbers have all their digits.
#'
#' @param ... Fits, named or not, or one list of them, as for [spec_table()].
#' @param file Path of a `.json` file.
#' @return `write_fits()`: `file`, invisibly. `read_fits()`: a named list of records, which
#'   print as the fits did.
#' @section Errors:
#' `wavetax_error_not_a_fit`, `wavetax_error_package_needed`, `wavetax_error_cannot_write`;
#' `wavetax_error_no_file`; `wavetax_error_not_fits` when the file holds none, or one that cannot be
#' true: what follows from other fields is computed again and compared.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' file <- file.path(tempdir(), "fits.json")
#' pooled <- fit_pooled(log(nights) ~ levy + storms, panel)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' write_fits(pooled, fixed, file = file)
#' spec_table(read_fits(file))
#' @export
write_fits <- function(..., file) {
  if (missing(file)) stop_argument("file", "missing", "Give the path of a .json file: `file = \"fits.json\"`.")
  check_fits_file(file)
  write_text_file(fits_json(collect_fits(rlang::enquos(...), write_fits, "write_fits()")), file)
}

check_fits_file <- function(file) check_ending(file, "json", "Fits")

fits_json <- function(fits) {
  check_package("jsonlite", "writes JSON")
  content <- list(format = "wavetax fits", version = saved_version, fits = record_contents(lapply(fits, fit_record)))
  as.character(jsonlite::toJSON(content, digits = NA, auto_unbox = TRUE, na = "null", null = "null", pretty = TRUE))
}

# Records as lists of plain values. Vectors stay lists also when they hold one value.
record_contents <- function(records) {
  lapply(records, function(record) {
    record <- unclass(record)
    record$covariance <- unname(record$covariance)
    texts <- c("effects", "closing", "told")
    record[texts] <- lapply(record[texts], as.list)
    for (field in c("df", "clusters", "notes")) record$errors[[field]] <- as.list(record$errors[[field]])
    record$r_squared <- lapply(record$r_squared, as.list)
    record$spans <- lapply(record$spans, as.list)
    if (!is.null(record$means)) record$means$terms <- as.list(record$means$terms)
    record
  })
}

#' @rdname write_fits
#' @export
read_fits <- function(file, ...) {
  check_own_arguments(..., of = read_fits, name = "read_fits()")
  check_package("jsonlite", "reads JSON")
  check_file(file)
  content <- tryCatch(jsonlite::read_json(file), error = function(cnd) stop_not_fits(file, conditionMessage(cnd)))
  if (!is.list(content) || is.null(names(content)) || !identical(content$format, "wavetax fits")) stop_not_fits(file,
      "It holds no fits.")
  if (!identical(as.numeric(if (is.numeric(content$version)) content$version[1] else NA), saved_version)) {
    stop_not_fits(file, sprintf("It is of version %s; this reads version %d.", value_words(content$version),
                                saved_version))
  }
  fits <- content$fits
  if (!is.list(fits) || length(fits) == 0 || is.null(names(fits)) || any(!nzchar(names(fits)))) {
    stop_not_fits(file, "It holds no fits by name.")
  }
  out <- lapply(names(fits), function(name) read_record(fits[[name]], name, file))
  stats::setNames(out, names(fits))
}

saved_version <- 3
