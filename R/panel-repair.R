#' Repair what was found, as named, with a log
#'
#' Question answered: *how do I mend the file so that it can be shown what I did?* Only
#' what is named is done; every cell and row changed is in the log, which can also be
#' printed as R code.
#'
#' @param data The data frame that was looked at, or the path of its file.
#' @param findings Its [panel_problems()].
#' @param names Entity names to replace: `c("Oskav\u00edk" = "Oskavik")`; `"tidy"` writes all spellings that
#'   differ only in case, spaces, marks or accents as the commonest of them.
#' @param numbers Columns to read as numbers, as [read_panel()] has it: what the cells mean is told by the whole
#'   column, and asked for where it is left open. Cells that are no numbers become missing, with a warning
#'   that lists them; more than a tenth of them is an error.
#' @param decimal,thousands,percent,missing As for [read_panel()]: what the cells of the columns `numbers` mean.
#' @param ... For a path: what [read_panel()] takes to read it.
#' @param drop Kinds of findings whose rows go: `"missing keys"`, `"total row"`, `"blank
#'   rows"`, `"header repeated"`, `"unread periods"`.
#' @param repeated `NULL`, `"first"` or `"last"`: which row of a repeated key stays.
#' @return `data` repaired, a plain data frame. `repair_log()` gives its log: a data frame
#'   of class `repair_log` with `action`, `row` (of the data given), `column`, `before`,
#'   `after`. `print(log, code = TRUE)` prints it as R code.
#' @section Errors:
#' `wavetax_error_repair` when something named was not found;
#' `wavetax_error_ambiguous_numbers` when cells can be read in two ways; `wavetax_error_codes`;
#' `wavetax_error_not_numbers`; `wavetax_error_unknown_column`.
#' @examples
#' raw <- system.file("extdata", "harbours-raw.csv", package = "wavetax")
#' found <- panel_problems(raw, harbour, season)
#' mended <- panel_repair(raw, found, names = c("Oskav\u00edk" = "Oskavik"),
#'   numbers = c("nights", "levy"), drop = "missing keys", repeated = "last")
#' repair_log(mended)
#' panel_frame(mended, harbour, season)
#' @export
panel_repair <- function(data, findings, names = NULL, numbers = NULL, drop = NULL, repeated = NULL,
                         decimal = NULL, thousands = NULL, percent = NULL, missing = NULL, ...) {
  if (base::missing(findings)) stop_repair("No findings were given.")
  findings <- tryCatch(findings, error = function(cnd) {
    if (inherits(cnd, "wavetax_error")) rlang::cnd_signal(cnd)
    stop_repair("What stands second is not what `panel_problems()` found.")
  })
  check_findings(findings)
  data <- table_of(data, ..., keys = c(entity = attr(findings, "entity"), period = attr(findings, "period")))
  options <- check_repair_options(names, drop, decimal, thousands, percent, missing)
  check_texts(numbers, "numbers", "Name columns in quotes: `numbers = \"x\"`.", kind = "repair")
  check_columns(numbers, data)
  entity <- attr(findings, "entity")
  period <- attr(findings, "period")
  done <- list(data = data, log = list(), keep = rep(TRUE, nrow(data)))
  if (identical(names, "tidy")) names <- tidy_names(data[[entity]])
  for (from in base::names(names)) done <- repair_name(done, entity, from, names[[from]])
  for (kind in drop) done <- repair_drop(done, findings, kind)
  for (name in numbers) done <- repair_numbers(done, name, options)
  if (!is.null(repeated)) {
    done <- repair_repeated(done, entity, period, check_choice(repeated, c("first", "last"), "repeated",
                                                               kind = "repair"))
  }
  call <- list(names = names, numbers = numbers, drop = drop, repeated = repeated,
               options = list(decimal = decimal, thousands = thousands, percent = percent, missing = missing),
               keep = which(!done$keep), entity = entity, period = period)
  out <- done$data[done$keep, , drop = FALSE]
  rownames(out) <- NULL
  attr(out, "repair_log") <- new_repair_log(done$log, call)
  out
}

new_repair_log <- function(log, call) {
  nothing <- data.frame(action = character(), row = integer(), column = character(),
                        before = character(), after = character())
  log <- do.call(rbind, c(list(nothing), log))
  attr(log, "call") <- call
  structure(log, class = c("repair_log", "data.frame"))
}

# Each repair works on list(data, log, keep).
repair_name <- function(done, entity, from, to) {
  rows <- rows_named(done$data[[entity]], from)
  if (length(rows) == 0) stop_repair(sprintf("No row has the %s %s.", entity, dQuote(from, FALSE)))
  done$log <- c(done$log, list(log_cells("name", rows, entity, done$data[[entity]][rows], to)))
  done$data[[entity]][rows] <- to
  done
}

repair_drop <- function(done, findings, kind) {
  rows <- unlist(findings$rows[findings$kind == kind])
  if (length(rows) == 0) stop_repair(sprintf("No finding is %s.", dQuote(kind, FALSE)))
  done$keep[rows] <- FALSE
  done$log <- c(done$log, list(log_cells(paste("drop:", kind), rows)))
  done
}

# Cells that a plain reading has otherwise are in the log; those that become missing apart. Rows that go
# anyway do not count.
repair_numbers <- function(done, name, options) {
  before <- done$data[[name]]
  if (is.numeric(before) && !is.factor(before)) return(done)
  text <- as.character(before)
  text[!done$keep] <- NA
  read <- asked_numbers(text, name, options)
  told <- column_words(name, text, read, asked = TRUE)
  if (length(told) > 0) tell_wavetax(told, class = "wavetax_message_numbers")
  plain <- suppressWarnings(as.numeric(text))
  filled <- which(!is_blank(text))
  lost <- filled[is.na(read$value[filled])]
  rows <- setdiff(filled[is.na(plain[filled]) | plain[filled] != read$value[filled]], lost)
  done$log <- c(done$log, list(log_cells("number", rows, name, before[rows], label_text(read$value[rows])),
                               log_cells("became missing", lost, name, before[lost], NA)))
  done$data[[name]] <- read$value
  done
}

repair_repeated <- function(done, entity, period, which_stays) {
  key <- paste(done$data[[entity]], done$data[[period]], sep = "\r")
  key[!done$keep] <- paste("\n", which(!done$keep))
  again <- duplicated(key, fromLast = which_stays == "last") & done$keep
  done$log <- c(done$log, list(log_cells(paste("repeated: keep", which_stays), which(again))))
  done$keep <- done$keep & !again
  done
}

# Spellings that differ only in case, spaces, marks or accents: each becomes the commonest of its group.
tidy_names <- function(x) {
  groups <- spelling_groups(x)
  pairs <- lapply(groups, function(group) stats::setNames(rep(group$name, length(group$others)), group$others))
  unlist(unname(pairs))
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

check_repair_options <- function(names, drop, decimal, thousands, percent, missing) {
  check_texts(drop, "drop", "Name kinds of findings, such as `drop = \"missing keys\"`.", kind = "repair")
  good <- is.null(names) || identical(names, "tidy") ||
    is.character(names) && !is.null(base::names(names)) && !anyNA(names) && all(nzchar(base::names(names)))
  if (!good) {
    stop_argument("names", value_words(names), "Give pairs, `names = c(\"wrong\" = \"right\")`, or `names = \"tidy\"`.",
                  kind = "repair")
  }
  number_options(decimal, thousands, percent, missing, kind = "repair")
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

# Which repairs mend what was found in one way only.
repairs_of <- function(found) {
  of <- function(...) found$kind %in% c(...)
  list(
    tidy = any(of("one name two ways") & grepl("tidy", found$todo, fixed = TRUE)),
    numbers = unique(found$column[of("numbers as text", "decimal commas", "text among numbers")]),
    drop = unique(found$kind[of("missing keys", "total row", "blank rows", "header repeated")]),
    repeated = any(of("repeated rows")) && !any(of("repeated keys"))
  )
}

# The log as JSON, or as R code.
write_repair_log <- function(log, file) {
  if (file_extension(file) == "r") return(write_text_file(repair_code(log), file))
  check_package("jsonlite", "writes JSON")
  call <- attr(log, "call")
  record <- list(
    format = "wavetax repairs", keys = list(entity = call$entity, period = call$period),
    repairs = Filter(Negate(is.null), c(list(names = as.list(call$names)), call[c("numbers", "drop", "repeated")],
                                        call$options)),
    changes = as.data.frame(unclass(log)[c("action", "row", "column", "before", "after")])
  )
  write_text_file(jsonlite::toJSON(record, pretty = TRUE, auto_unbox = TRUE, na = "null", null = "null"), file)
}

# The log as the calls that do the same to a data frame `data`.
repair_code <- function(log) {
  done <- attr(log, "call")
  given <- c(list(names = done$names), done[c("numbers", "drop", "repeated")], done$options)
  given <- Filter(Negate(is.null), given)
  arguments <- sprintf(", %s = %s", names(given), vapply(given, code_texts, ""))
  c(
    sprintf("found <- panel_problems(data, %s, %s)", code_argument(done$entity), code_argument(done$period)),
    sprintf("data <- panel_repair(data, found%s)", paste(arguments, collapse = ""))
  )
}

#' @rdname panel_repair
#' @param repaired What `panel_repair()` gave.
#' @export
repair_log <- function(repaired, ...) {
  check_own_arguments(..., of = repair_log, name = "repair_log()")
  log <- attr(repaired, "repair_log", exact = TRUE)
  if (is.null(log)) stop_repair("These data have no log of repairs.")
  log
}
