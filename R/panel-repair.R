#' Repair what was found, as named, with a log
#'
#' Question answered: *how do I mend the file so that it can be shown what I did?* Only
#' what is named is done; every cell and row changed is in the log, which can also be
#' printed as R code.
#'
#' @param data The data frame that was looked at.
#' @param findings Its [panel_problems()].
#' @param names Entity names to replace: `c("Oskav\u00edk" = "Oskavik")`.
#' @param numbers Columns to read as numbers. What commas mean is told by the whole column (`3,5`
#'   is a decimal, `1,234,567` has thousands); where a column leaves it open, as `1,021` alone does,
#'   it is asked for. Cells that are no numbers become missing, with a warning that lists them.
#' @param decimal,thousands `","` or `"."`; the mark between thousands: what the commas of the
#'   columns `numbers` mean.
#' @param drop Kinds of findings whose rows go: `"missing keys"`, `"total row"`, `"blank
#'   rows"`, `"header repeated"`, `"unread periods"`.
#' @param repeated `NULL`, `"first"` or `"last"`: which row of a repeated key stays.
#' @return `data` repaired, a plain data frame. `repair_log()` gives its log: a data frame
#'   of class `repair_log` with `action`, `row` (of the data given), `column`, `before`,
#'   `after`. `print(log, code = TRUE)` prints it as R code.
#' @section Errors:
#' `wavetax_error_repair` when something named was not found;
#' `wavetax_error_ambiguous_numbers` when commas may be decimal or thousands marks;
#' `wavetax_error_unknown_column`.
#' @examples
#' raw <- data.table::fread(system.file("extdata", "harbours-raw.csv", package = "wavetax"))
#' found <- panel_problems(raw, harbour, season)
#' mended <- panel_repair(raw, found, names = c("Oskav\u00edk" = "Oskavik"),
#'   numbers = c("nights", "levy"), drop = "missing keys", repeated = "last")
#' repair_log(mended)
#' panel_frame(mended, harbour, season)
#' @export
panel_repair <- function(data, findings, names = NULL, numbers = NULL, drop = NULL, repeated = NULL,
                         decimal = NULL, thousands = NULL) {
  check_is_table(data)
  if (missing(findings)) stop_repair("No findings were given.")
  check_findings(findings)
  check_repair_options(names, drop, decimal, thousands)
  data <- plain_data_frame(data)
  entity <- attr(findings, "entity")
  period <- attr(findings, "period")
  log <- list()
  keep <- rep(TRUE, nrow(data))
  for (from in base::names(names)) {
    rows <- rows_named(data[[entity]], from)
    if (length(rows) == 0) stop_repair(sprintf("No row has the %s %s.", entity, dQuote(from, FALSE)))
    log <- c(log, list(log_cells("name", rows, entity, data[[entity]][rows], names[[from]])))
    data[[entity]][rows] <- names[[from]]
  }
  for (kind in drop) {
    rows <- unlist(findings$rows[findings$kind == kind])
    if (length(rows) == 0) stop_repair(sprintf("No finding is %s.", dQuote(kind, FALSE)))
    keep[rows] <- FALSE
    log <- c(log, list(log_cells(paste("drop:", kind), rows)))
  }
  for (name in numbers) {
    check_columns(name, data)
    before <- data[[name]]
    data <- convert_numbers(data, name, thousands, decimal)
    plain <- suppressWarnings(as.numeric(before))
    rows <- which(!is.na(before) & (is.na(plain) | plain != data[[name]]) & keep)
    lost <- rows[is.na(data[[name]][rows]) & !is_blank(as.character(before[rows]))]
    rows <- setdiff(rows, lost)
    log <- c(log, list(log_cells("number", rows, name, before[rows], data[[name]][rows]),
                       log_cells("became missing", lost, name, before[lost], NA)))
  }
  if (!is.null(repeated)) {
    repeated <- check_choice(repeated, c("first", "last"), "repeated", kind = "repair")
    key <- paste(data[[entity]], data[[period]], sep = "\r")
    again <- duplicated(replace(key, !keep, paste("\n", which(!keep))), fromLast = repeated == "last") & keep
    log <- c(log, list(log_cells(paste("repeated: keep", repeated), which(again))))
    keep <- keep & !again
  }
  nothing <- data.frame(action = character(), row = integer(), column = character(),
                        before = character(), after = character())
  log <- do.call(rbind, c(list(nothing), log))
  attr(log, "call") <- list(names = names, numbers = numbers, keep = which(!keep), entity = entity)
  out <- data[keep, , drop = FALSE]
  rownames(out) <- NULL
  attr(out, "repair_log") <- structure(log, class = c("repair_log", "data.frame"))
  out
}

# Also where the locale has not the signs: text read there is UTF-8 without its mark.
rows_named <- function(x, name) {
  rows <- which(x == name)
  if (length(rows) > 0 || l10n_info()[["UTF-8"]]) return(rows)
  x <- as.character(x)
  unmarked <- Encoding(x) == "unknown" & validUTF8(x)
  Encoding(x)[unmarked] <- "UTF-8"
  which(x == signs_of_points(name))
}

# A locale that lacks a sign has it in the names of a vector as its code point, <U+00ED>.
signs_of_points <- function(text) {
  points <- gregexpr("<U\\+[0-9A-Fa-f]{4,6}>", text)
  regmatches(text, points) <- lapply(regmatches(text, points), function(found) {
    vapply(found, function(one) intToUtf8(strtoi(gsub("[^0-9A-Fa-f]", "", sub("U", "", one)), 16L)), "")
  })
  text
}

check_repair_options <- function(names, drop, decimal, thousands) {
  check_texts(drop, "drop", "Name kinds of findings, such as `drop = \"missing keys\"`.", kind = "repair")
  if (!is.null(names) && (!is.character(names) || is.null(base::names(names)) || anyNA(names))) {
    stop_argument("names", value_words(names), "Give pairs: `names = c(\"wrong\" = \"right\")`.", kind = "repair")
  }
  if (!is.null(decimal)) check_choice(decimal, c(".", ","), "decimal", kind = "repair")
  if (!is.null(thousands)) check_text(thousands, "thousands", kind = "repair")
}

check_findings <- function(findings) {
  if (inherits(findings, "panel_problems") && !is.null(attr(findings, "entity"))) return(invisible())
  stop_repair("`findings` is not what `panel_problems()` gave on these data.")
}

stop_repair <- function(found) {
  stop_wavetax("repair", found, todo = "Look at the findings again: `panel_problems(data, entity, period)`.")
}

log_cells <- function(action, rows, column = NA_character_, before = NA, after = NA) {
  if (length(rows) == 0) return(NULL)
  data.frame(action = action, row = rows, column = column, before = as.character(before),
             after = as.character(after))
}

#' @rdname panel_repair
#' @param repaired What `panel_repair()` gave.
#' @export
repair_log <- function(repaired) {
  log <- attr(repaired, "repair_log", exact = TRUE)
  if (is.null(log)) stop_repair("These data have no log of repairs.")
  log
}
