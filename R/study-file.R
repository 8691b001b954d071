#' The study file
#'
#' A study is one file from raw data to tables and figures, which [run_study()] runs and `wavetax init DIR` writes to
#' begin with. It says what there is; the order follows from names.
#'
#' @section How it is read:
#' A study is YAML without its surprises. A scalar is the text that stands there: `n`, `NO`, `012` and `1e5` arrive as
#' they are written, and the type of its key reads it. A flag takes `true`, `false`, `yes`, `no`. What is empty is
#' absent. A long formula goes on on a line that stands further in. Tags, anchors, aliases and a second document are
#' refused, a key twice too. All faults are told at once, each with its line; nothing is run before there are none.
#'
#' @section Four rules:
#' * **An entry is a name and its keys.** `fits`, `tests`, `tables` and `figures` are maps of entries, or lists of
#'   bare names. What one is, `model`, `test`, `table` or `plot` says, or its name where that is one: `fixed:`,
#'   `serial:`. A table that says nothing is one of specifications. `like: other` starts from another entry of the
#'   section.
#' * **Every other key is an argument of the function** so named, in its words: `fit_fixed()`, `test_serial()`,
#'   `plot_paths()`. One-sided formulas need no tilde. Fits are given by name: `two-way` with all its members,
#' `two-way / since 2013` one of them, `*` for any letters, `{Head: name}` renamed. Without `fits` or `fit` all are
#' meant; of tests all, or all pairs, that the test takes.
#' * **A list where one value stands makes one of each**: of `model`, `outcome`, `effects`, `sample`, `errors`,
#'   `weights`, `variance` and `serial` of fits, of the fits of a test, of `sample` and `outcome` of `appraise`. The
#'   first key written varies slowest. The members are called `name / value / value`.
#' * **Named values** are a text, a list, a map, or a list with maps of one: `by: {ours: theirs}`,
#'   `[levy, {Storms: storms}]`.
#'
#' A fit starts from `common`, then from what it is `like`, then from its own keys. A later key replaces an earlier one;
#' `none` takes it back. The equation goes on level by level: `formula` starts anew (without a left side the outcome
#' stays), then `outcome`, `without`, `add`.
#'
#' @eval study_key_section()
#' @eval study_entry_sections()
#' @seealso [run_study()], [study_code()], [init_study()]. The schema is `system.file("schema", "study.json", package =
#'   "wavetax")`.
#' @name study_file
#' @examples
#' writeLines(readLines(system.file("examples", "study", "study.yaml", package = "wavetax"), n = 20))
NULL

# The keys at the top, for the help page.
study_key_section <- function() {
  c("@section Keys:", "| key | what stands there |", "| :-- | :-- |",
    sprintf("| `%s` | %s |", names(study_key_words), study_key_words))
}

# What entries take, for the help page: from the descriptors.
study_entry_sections <- function() {
  table <- function(block, head) {
    rows <- vapply(names(block$doors), function(word) {
      keys <- setdiff(names(entry_types(block, word)), names(block$keys))
      sprintf("`%s` | %s", word, if (length(keys) > 0) paste0("`", keys, "`", collapse = ", ") else "")
    }, "")
    c(sprintf("| %s | keys |", head), "| :-- | :-- |", sprintf("| %s |", rows))
  }
  models <- vapply(study_models(), function(model) {
    keys <- names(door_types(paste0("fit_", model), c("errors", "rows")))
    sprintf("| `%s` | %s |", model, paste0("`", keys, "`", collapse = ", "))
  }, "")
  c("@section Models and their keys:", "| model | keys, besides those of all fits |", "| :-- | :-- |", models, "",
    "@section Tests and their keys:", table(tests_block(), "test"), "",
    "@section Tables and their keys:", table(tables_block(), "table"), "",
    "@section Figures and their keys:", table(figures_block(), "plot"))
}
