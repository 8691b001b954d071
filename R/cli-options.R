# Options of commands as data.
#   name       as it is typed, without --
#   kind       how its text is read: a function option_<kind>(text, option) below
#   help       a line; `metavar` what stands for its value there
#   argument   its name among the values, that of the argument of R
#   default    text that is read when it is not given
#   choices    for kinds with few values, or where a shell completes them
#   told       what each of the choices is, by name, for help
#   short      a letter
#   repeated   what joins its values when it is given several times
#   head       what help shows it under: a name of `option_heads`
new_option <- function(name, kind, help, metavar = "", argument = gsub("-", "_", name, fixed = TRUE), default = NULL,
                       choices = names(told), told = NULL, short = NULL, repeated = NULL) {
  list(name = name, kind = kind, help = help, metavar = metavar, argument = argument, default = default,
       choices = choices, told = told, short = short, repeated = repeated, head = "data")
}

option_heads <- c(run = "The run", data = "The data", model = "The model", errors = "Standard errors", tests = "Tests",
                  output = "What comes out", read = "How the file is read")

# Options of a command by head, as one list.
options_under <- function(...) {
  under <- list(...)
  unlist(unname(Map(function(options, head) {
    lapply(options, function(option) utils::modifyList(option, list(head = head)))
  }, under, names(under))), recursive = FALSE)
}

option_flags <- function(option) {
  c(if (!is.null(option$short)) paste0("-", option$short), paste0("--", option$name))
}

option_reader <- function(option) get(paste0("option_", option$kind), mode = "function")

# The values by argument of the options that were given or have a default.
option_values <- function(options, texts) {
  values <- lapply(options, function(option) {
    text <- texts[[option$argument]]
    if (identical(text, "") && !option$argument %in% may_be_empty) stop_usage(sprintf("--%s is empty.", option$name))
    if (!is.null(text)) option_reader(option)(known_signs(text, option), option)
  })
  names(values) <- vapply(options, `[[`, "", "argument")
  structure(Filter(Negate(is.null), values), class = "option_values")
}

# Where the locale has other signs or none, words of a table are read as what they nearly always are.
known_signs <- function(text, option) {
  if (!l10n_info()[["UTF-8"]] && option$argument %in% c("title", "over") && validUTF8(text)) {
    Encoding(text) <- "UTF-8"
  }
  text
}

# No spelling of a missing value, besides none and NA.
may_be_empty <- "missing"

# By whole names: `periods` is no `period`.
#' @export
`$.option_values` <- function(x, name) unclass(x)[[name]]

stop_option <- function(option, takes, text) {
  near <- unique(unlist(lapply(text, near_names, option$choices)))
  stop_usage(sprintf("--%s takes %s, not ", option$name, takes), list_words(sQuote(text, FALSE)), ".",
             if (length(near) > 0) sprintf(" Did you mean %s?", list_or(near)))
}

option_text <- function(text, option) text
option_flag <- function(text, option) isTRUE(text)
option_texts <- function(text, option) option_list(text)

# A number that fits.
number_reader <- function(takes, fits = function(number) TRUE) {
  function(text, option) {
    number <- suppressWarnings(as.numeric(text))
    if (length(number) != 1 || is.na(number) || !fits(number)) stop_option(option, takes, text)
    number
  }
}

cli_widths <- c(40, 1000)

option_number <- number_reader("a number")
option_width <- number_reader(sprintf("columns from %d to %d", cli_widths[1], cli_widths[2]), function(width) {
  width == trunc(width) && width >= cli_widths[1] && width <= cli_widths[2]
})
# A small share that a test is read at, and how sure an interval is.
option_share <- number_reader("a small share such as 0.05", function(share) share > 0 && share < 0.5)
option_level <- number_reader("a share such as 0.95", function(level) level > 0 && level < 1)

option_folder <- function(text, option) {
  if (text == "-") stop_option(option, "a folder", text)
  text
}

option_choice <- function(text, option) {
  if (!text %in% option$choices) stop_option(option, list_or(option$choices), text)
  text
}

option_choices <- function(text, option) {
  given <- unique(option_list(text))
  odd <- setdiff(given, option$choices)
  if (length(odd) > 0 || length(given) == 0) {
    stop_option(option, paste0(list_words(option$choices), ", separated by commas"), odd)
  }
  given
}

# A sheet by name or number, or several.
option_sheets <- function(text, option) option_list(text)

option_delimiter <- function(text, option) if (text == "\\t") "\t" else text

# What is read when the panel is there: a function of it.
option_formula <- function(text, option) function(panel) formula_from_text(text, panel)
option_condition <- function(text, option) function(panel) condition_from_text(text, panel)
option_regressors <- function(text, option) {
  written <- if (startsWith(trimws(text), "~")) text else paste("~", text)
  function(panel) regressors_from_text(written, panel)
}
option_effects <- function(text, option) function(panel) effects_from_text(text, panel)

# Texts that were joined, each read by `read`.
repeated_texts <- function(text, option, read) {
  given <- trimws(strsplit(text, option$repeated, fixed = TRUE)[[1]])
  lapply(given[nzchar(given)], read)
}

# Parts between commas that stand outside brackets.
some_parts <- function(text, option) {
  parts <- list_outside_brackets(text)
  if (length(parts) == 0) stop_usage(sprintf("--%s holds nothing.", option$name))
  parts
}

# "levy = -0.05, storms = 0" as both at once.
option_restrictions <- function(text, option) repeated_texts(text, option, function(one) some_parts(one, option))

option_variables <- function(text, option) {
  function(panel) Reduce(with_variable, repeated_texts(text, option, identity), panel)
}

# Steps of a ladder: regressors as in '~ storms', effects or methods as words.
option_steps <- function(text, option) {
  parts <- some_parts(text, option)
  function(panel) {
    lapply(parts, function(one) {
      if (startsWith(one, "~")) regressors_from_text(one, panel) else
        if (one %in% ladder_methods()) one else effects_from_text(one, panel)
    })
  }
}

# tidy, or pairs of a wrong and a right name.
option_pairs <- function(text, option) {
  if (text == "tidy") return(text)
  pairs <- strsplit(strsplit(text, option$repeated, fixed = TRUE)[[1]], "=", fixed = TRUE)
  if (any(lengths(pairs) != 2)) stop_usage(sprintf("--%s takes tidy, or pairs such as wrong=right.", option$name))
  stats::setNames(vapply(pairs, `[`, "", 2), vapply(pairs, `[`, "", 1))
}

# harbour=name,season as c(harbour = "name", season = "season").
option_keys <- function(text, option) {
  pairs <- strsplit(option_list(text), "=", fixed = TRUE)
  if (any(!lengths(pairs) %in% 1:2)) {
    stop_usage(sprintf("--%s takes columns, or pairs such as harbour=name.", option$name))
  }
  stats::setNames(vapply(pairs, function(pair) pair[length(pair)], ""), vapply(pairs, `[`, "", 1))
}

# "Wave tax=levy,storms" as c("Wave tax" = "levy", "storms").
option_terms <- function(text, option) {
  parts <- option_list(text)
  named <- grepl("^[^=()]+=[^=]", parts)
  stats::setNames(ifelse(named, sub("^[^=]+=", "", parts), parts), ifelse(named, sub("=.*$", "", parts), ""))
}

# Terms joined by +, which nothing evaluates.
option_hidden <- function(text, option) {
  formula <- tryCatch(stats::as.formula(paste("~", text), baseenv()), error = function(cnd) NULL)
  items <- if (!is.null(formula)) tryCatch(hidden_items(formula), error = function(cnd) NULL)
  if (is.null(items)) stop_option(option, "terms joined by +", text)
  items
}

# "+=0.05,++=0.01" as c("+" = 0.05, "++" = 0.01).
option_marks <- function(text, option) {
  parts <- regmatches(text, gregexpr("[^=,]+=[0-9.]+", text))[[1]]
  shares <- suppressWarnings(as.numeric(sub("^.*=", "", parts)))
  if (length(parts) == 0 || anyNA(shares) || paste(parts, collapse = ",") != text) {
    stop_option(option, "signs and shares such as +=0.05", text)
  }
  stats::setNames(shares, sub("=[^=]*$", "", parts))
}

# "All=1-3,Late=4" as list(All = 1:3, Late = 4).
option_over <- function(text, option) {
  parts <- option_list(text)
  ends <- strsplit(sub("^.*=", "", parts), "-", fixed = TRUE)
  good <- grepl("^[^=]+=[0-9]{1,4}(-[0-9]{1,4})?$", parts)
  if (length(parts) == 0 || !all(good)) stop_option(option, "heads and columns such as All=1-3", text)
  stats::setNames(lapply(ends, function(end) seq(as.integer(end[1]), as.integer(end[length(end)]))),
                  sub("=.*$", "", parts))
}

# Files to write, by what goes into them: the ending is looked at before anything is read.
output_kinds <- c("table_file", "fits_file", "figure_file", "data_file", "log_file", "report_file")

checked_output <- function(check) {
  function(text, option) {
    if (text == "-") return(text)
    tryCatch(check(text), wavetax_error = function(cnd) stop_usage("--", option$name, ": ", conditionMessage(cnd)))
    text
  }
}

option_table_file <- checked_output(function(file) check_table_file(file))
option_fits_file <- checked_output(function(file) check_fits_file(file))
option_figure_file <- checked_output(function(file) check_figure_file(file))
option_log_file <- checked_output(function(file) check_ending(file, c("json", "r"), "The log"))
option_report_file <- checked_output(function(file) check_ending(file, names(report_writers()), "The report"))
option_data_file <- checked_output(function(file) check_ending(file, c("csv", "tsv", "xlsx", "parquet"), "The data"))

# Options that all commands have.
common_options <- function() {
  list(new_option("width", "width", "columns of what is printed [default: those of the terminal, or 80]", "N"),
       new_option("quiet", "flag", "tell nothing of what is done; warnings and errors are told", short = "q"))
}

# Options that several commands have.
key_options <- function() {
  list(new_option("entity", "text", "column that names the entity", "COLUMN"),
       new_option("period", "text", "column that names the period", "COLUMN"))
}

formula_option <- function() new_option("formula", "formula", "such as 'log(nights) ~ levy + storms'", "TEXT")

let_option <- function() {
  new_option("let", "variables", "a new column, such as 'rise = change(levy) * berths'; may be repeated", "TEXT",
             repeated = "\u001f")
}

rows_option <- function() new_option("rows", "condition", "rows to use, such as 'season > 2012'", "TEXT")

weights_option <- function() {
  new_option("weights", "weights", "analytic weights: a column, or variance_of(COLUMN), estimated by group", "COLUMN")
}

# A column, or the weights that are estimated of one.
option_weights <- function(text, option) {
  if (!grepl("^variance_of\\(.+\\)$", text)) return(text)
  rlang::new_formula(NULL, call("variance_of", as.name(sub("^variance_of\\((.+)\\)$", "\\1", text))), env = globalenv())
}

effects_option <- function() {
  help <- "swept out: entity, period, both, or columns such as 'harbour + coast:season' [default: entity]"
  new_option("effects", "effects", help, "TEXT", choices = c("entity", "period", "both"))
}

data_file_option <- function() {
  new_option("out", "data_file", "file to write: .csv, .tsv, .xlsx or .parquet; - for standard output", "FILE",
             short = "o")
}

figures_option <- function(help = "folder for figures") new_option("out", "folder", help, "DIR", "figures")

table_file_option <- function() {
  help <- sprintf("write the table too: %s; - prints it alone", list_or(paste0(".", table_endings)))
  new_option("table", "table_file", help, "FILE")
}

format_option <- function(choices) {
  new_option("format", "choice", list_or(choices), "KIND", default = "text", choices = choices)
}
