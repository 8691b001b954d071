#' Save fits, and read them back to compare
#'
#' Question answered: *how do I set today's model beside last month's?* What is printed and
#' tabulated of fits is saved as JSON: coefficients, their covariance, errors, sample, effects,
#' figures of fit; not the data. [spec_table()] takes what is read back, with other fits.
#'
#' The file holds `format` (`"wavetax fits"`), `version` (1) and `fits`, an object with an entry
#' a fit: `method`, `formula`, `outcome`, `title`, `sample`, `coefficients` (a record a term:
#' `term`, `estimate`, `std_error`, `statistic`, `p_value`, `low`, `high`, `aside`: whether it is
#' reported beside the others), `covariance` (by row, in the terms' order), `errors`,
#' `effects`, `rows`, `r_squared`, `figures` and more. Numbers have all their digits.
#'
#' @param ... Fits, named or not, or one list of them, as for [spec_table()].
#' @param file Path of a `.json` file.
#' @return `write_fits()`: `file`, invisibly. `read_fits()`: a named list of records, which
#'   print as the fits did.
#' @section Errors:
#' `wavetax_error_not_a_fit`, `wavetax_error_package_needed`, `wavetax_error_cannot_write`;
#' `wavetax_error_no_file` and `wavetax_error_not_fits` when the file holds none.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' file <- file.path(tempdir(), "fits.json")
#' pooled <- fit_pooled(log(nights) ~ levy + storms, panel)
#' fixed <- fit_fixed(log(nights) ~ levy + storms, panel)
#' write_fits(pooled, fixed, file = file)
#' spec_table(read_fits(file))
#' @export
write_fits <- function(..., file) {
  lines <- fits_json(collect_fits(rlang::enquos(...)))
  write_whole_file(file, function(path) write_lines(lines, path))
}

fits_json <- function(fits) {
  check_package("jsonlite", "writes JSON")
  records <- lapply(fits, function(fit) {
    record <- unclass(fit_record(fit))
    record$covariance <- unname(record$covariance)
    record
  })
  content <- list(format = "wavetax fits", version = 1L, fits = records)
  as.character(jsonlite::toJSON(content, digits = NA, auto_unbox = TRUE, na = "null", null = "null", pretty = TRUE))
}

#' @rdname write_fits
#' @export
read_fits <- function(file) {
  check_package("jsonlite", "reads JSON")
  check_file(file)
  content <- tryCatch(jsonlite::read_json(file), error = function(cnd) stop_not_fits(file, conditionMessage(cnd)))
  if (!is.list(content) || !identical(content$format, "wavetax fits")) stop_not_fits(file, "It holds no fits.")
  if (!identical(as.integer(content$version), 1L)) {
    stop_not_fits(file, sprintf("It is of version %s; this reads version 1.", format(content$version)))
  }
  tryCatch(lapply(content$fits, read_record), error = function(cnd) {
    stop_not_fits(file, "An entry is not complete.")
  })
}

stop_not_fits <- function(file, where) {
  stop_wavetax("not_fits", sprintf("The file %s could not be read as fits.", sQuote(file, FALSE)),
               where = utils::head(strsplit(where, "\n")[[1]], 1), todo = "Fits are saved by `write_fits()`.")
}

# Lists of values become vectors and tables again; what JSON calls null is NA.
read_record <- function(entry) {
  known <- c("method", "outcome", "title", "sample", "errors_words", "coefficients", "errors", "rows")
  stopifnot(all(known %in% names(entry)))
  vector_of <- function(x) unlist(lapply(x, function(one) if (is.null(one)) NA else one))
  table_of <- function(rows) {
    fields <- unique(unlist(lapply(rows, names)))
    as.data.frame(lapply(stats::setNames(fields, fields), function(field) {
      vector_of(lapply(rows, function(row) row[[field]]))
    }))
  }
  entry$coefficients <- table_of(entry$coefficients)
  entry$covariance <- matrix(as.numeric(vector_of(unlist(entry$covariance, recursive = FALSE))),
                             nrow(entry$coefficients), byrow = TRUE)
  dimnames(entry$covariance) <- list(entry$coefficients$term, entry$coefficients$term)
  none <- data.frame(term = character(), reason = character())
  entry$dropped <- if (length(entry$dropped) > 0) table_of(entry$dropped) else none
  for (field in c("effects", "closing")) entry[[field]] <- as.character(vector_of(entry[[field]]))
  entry$r_squared <- lapply(entry$r_squared, function(x) if (is.null(x)) NA_real_ else as.numeric(x))
  if (!is.null(entry$means)) entry$means$terms <- vector_of(entry$means$terms)
  entry$figures <- lapply(entry$figures, function(x) if (is.null(x)) NA else x)
  structure(entry, class = "fit_record")
}
