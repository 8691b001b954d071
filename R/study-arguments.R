# What each argument of the functions that a study may call takes, by its name. An argument that means something else in
# one function stands under <function>$<argument>. A function's new argument is a key of the study once its name is
# here.

argument_type <- function(door, argument) {
  types <- argument_types()
  own <- types[[paste0(door, "$", argument)]]
  make <- if (is.null(own)) types[[argument]] else own
  if (!is.null(make)) make()
}

share_type <- function() number_type("a share such as 0.05", function(share) share > 0 && share < 1)
level_type <- function() number_type("a share such as 0.95", function(level) level > 0 && level < 1)
rho_type <- function() {
  choice_type(rho_methods, number_type("a number between -1 and 1", function(rho) abs(rho) < 1))
}

one_of <- function(...) {
  choices <- c(...)
  function() choice_type(choices)
}
some_of <- function(...) {
  choices <- c(...)
  function() choices_type(choices)
}
whole_from <- function(least) function() whole_type(sprintf("a whole number from %d", least), least)
one_text <- function(words) function() text_type(words)
several_texts <- function(words) function() texts_type(words)

argument_types <- function() {
  list(
    # Fits
    effects = effects_type, weights = weights_type, rows = condition_type, by_rows = flag_type,
    variance = one_of(names(core_variance_methods)), variances = one_of("common", "entity"), across = flag_type,
    iterate = flag_type, adjust = flag_type,
    endogenous = function() expression_type("terms of the formula", "regressors"),
    instruments = function() expression_type("what instruments them", "regressors"),
    "fit_instrumented$method" = one_of(names(instrument_method_words)),
    "serial_ar1$rho" = rho_type,
    first = one_of("keep", "drop"),
    # Errors
    by = clusters_type, type = one_of("HC0", "HC1", "HC2", "HC3", "HC4", "CR0", "CR1", "CR2", "CR3"),
    scheme = one_of("wild", "pairs"), combine = one_of("subtract", "sum"), leverages = one_of("exact", "estimated"),
    pairs = one_of("pairwise", "casewise"), df = one_of("clusters", "satterthwaite"), lags = whole_from(0),
    draws = whole_from(1), seed = whole_from(0),
    # Tests
    level = share_type, robust = flag_type, sigma = one_of("shared", "own"), common = flag_type,
    "test_joint$terms" = several_texts("coefficients, or restrictions such as levy = -0.05"),
    "test_mundlak$type" = one_of("CR3", "CR2"), of = one_of("residuals", "effects"),
    "test_random_effects$effects" = one_of("entity", "period", "both"),
    alternative = one_of("one-sided", "two-sided", "mixture"),
    "test_serial$alternative" = one_of("positive", "two-sided"), "test_serial$method" = one_of(serial_method_names),
    "test_serial$variances" = one_of("rows", "entities"), form = one_of("mean", "regression"), lag = whole_from(1),
    "test_variance$method" = one_of(names(variance_tests)),
    "test_cross_section$method" = one_of(cross_section_methods),
    "test_cross_section$sample" = whole_from(2), powers = function() numbers_type("powers such as 2"),
    "appraise$focus" = one_text("a regressor"), unrelated = flag_type,
    # Tables
    terms = function() named_texts_type("coefficients, which may be named"), hide = hidden_type,
    labels = function() named_texts_type("labels by name, or a file of them"),
    beneath = some_of(names(beneath_words)), beside = flag_type,
    facts = some_of(fact_names),
    marks = function() map_of_numbers_type("signs and shares such as {+: 0.05}"),
    decimals = function() {
      whole <- whole_type("a whole number of decimals", 0, most_decimals)
      map_of_numbers_type("decimals, or decimals by term", TRUE, whole)
    },
    numbered = flag_type, "spec_table$constant" = flag_type,
    title = text_type, notes = texts_type, hausman = flag_type,
    "panel_variation$by" = column_type, show = some_of("range", "missing", "correlations"),
    statistics = some_of(variation_statistics), parts = flag_type, "panel_variation$weights" = column_type,
    "compare_errors$terms" = texts_type, set = one_text("a set of effects, such as season"), sort = flag_type,
    # Figures
    lines = whole_from(1), variable = column_type, entities = several_texts("names of entities"),
    sample = whole_from(1),
    panels = flag_type, regressor = one_text("a regressor"),
    "plot_estimates$labels" = function() named_texts_type("labels by name"), "plot_estimates$level" = level_type,
    reference = number_type, vertical = flag_type, effect = one_text("a set of effects, such as harbour"),
    "plot_effects$names" = function() texts_type("how many, or names"), "plot_effects$level" = level_type,
    "plot_residuals$show" = texts_type, "plot_residuals$labels" = whole_from(0),
    size = one_of(names(figure_sizes)), dpi = whole_from(30),
    # Data
    entity = one_text("the column of entities"), period = one_text("the column of periods"), periods = texts_type,
    numbers = texts_type, text = texts_type, missing = function() texts_type("spellings of a missing value"),
    decimal = one_of(".", ","), thousands = one_of(",", ".", " ", "'"), percent = one_of("share", "number"),
    date_format = text_type, delimiter = text_type, encoding = text_type, sheet = texts_type, range = text_type,
    header = whole_from(1), layout = one_of("plain", "find"), merged = one_of("fill"), period_from = text_type,
    pattern = text_type, indicator = text_type, value = text_type, empty = flag_type,
    "panel_repair$names" = function() named_texts_type("tidy, or right names by wrong ones"),
    drop = some_of("missing keys", "total row", "blank rows", "header repeated", "unread periods"),
    repeated = one_of("first", "last"), match = one_of("exact", "tidy"), replace = flag_type,
    "panel_join$by" = function() named_texts_type("columns of both, or ours: theirs")
  )
}

# The arguments of a function that a study may give, without those that it gives itself.
door_keys <- function(door, less = character()) {
  setdiff(names(formals(get(door, mode = "function"))), c("...", "data", "keep", "formula", less))
}

door_types <- function(door, less = character()) {
  keys <- door_keys(door, less)
  types <- stats::setNames(lapply(keys, function(key) argument_type(door, key)), keys)
  Filter(Negate(is.null), types)
}
