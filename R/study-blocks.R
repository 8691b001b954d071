# The sections of a study, each a descriptor: what the entries of a section may be, which functions make them, and the
# keys that are the study's own. The keys of the checks, of the near misses, of the schema and of ?study_file come from
# here and from the functions' arguments.
#   name     the key of the section
#   kind     the key that says what an entry is: "model", "test", "table", "plot"; NULL where there is one kind
#   doors    the function by that key's word
#   keys     types of the study's own keys, of every entry; by word in `own`
#   less     arguments that the study gives itself
#   usual    the word of an entry that says none, NULL where it must
new_study_block <- function(name, kind = NULL, doors = character(), keys = list(), own = list(), less = character(),
                            usual = NULL) {
  list(name = name, kind = kind, doors = doors, keys = keys, own = own, less = less, usual = usual)
}

# Types of an entry's keys of one kind.
entry_types <- function(block, word) {
  door <- block$doors[[word]]
  c(block$keys, block$own[[word]], door_types(door, c(block$less, names(block$own[[word]]))))
}

# Names of fits or of tests, which the section that holds them looks up.
names_type <- function(words) {
  new_study_type(words, list(anyOf = list(json_text_type, list(type = "array"), list(type = "object"))), identity)
}

fits_type <- function() names_type("fits by name")
inner_type <- function(words) {
  new_study_type(words, list(anyOf = list(json_text_type, list(type = "array"), list(type = "object"))), identity)
}

test_names <- c("effects", "random_effects", "hausman", "mundlak", "serial", "variance", "cross_section", "normality",
                "form", "joint", "strength", "overidentification", "endogeneity")

# A word is written with blanks or hyphens as it is with underscores.
word_key <- function(text) gsub("[ -]", "_", text)

tests_block <- function() {
  words <- c(test_names, "collinearity", "diagnose")
  doors <- stats::setNames(c(paste0("test_", test_names), "collinearity", "diagnose"), words)
  fits <- list(fits = fits_type(), fit = fits_type())
  own <- stats::setNames(rep(list(fits), length(words)), words)
  own$effects <- list(full = fits_type(), restricted = fits_type())
  own$hausman <- list(consistent = fits_type(), efficient = fits_type(), fits = fits_type())
  new_study_block("tests", "test", doors, own = own, less = "fit")
}

tables_block <- function() {
  one <- list(fit = fits_type())
  new_study_block(
    "tables", "table",
    c(spec = "spec_table", variation = "panel_variation", shape = "panel_shape", tests = "as_table",
      problems = "panel_problems", repair_log = "repair_log", join_report = "join_report",
      compare_errors = "compare_errors", effect_levels = "effect_levels", variance_parts = "variance_parts",
      influence_by = "influence_by", first_stage = "first_stage"),
    keys = list(file = texts_type("files to write")),
    own = list(
      spec = list(fits = fits_type(), errors = inner_type("errors, one or several"),
                  over = inner_type("a word, or heads")),
      variation = list(variables = columns_type()), tests = list(tests = names_type("tests by name")),
      compare_errors = c(one, list(errors = inner_type("errors, one or several"))), effect_levels = one,
      variance_parts = one, influence_by = one, first_stage = one
    ),
    less = c("x", "entity", "period", "periods", "date_format", "repaired", "joined", "fit"), usual = "spec"
  )
}

figures_block <- function() {
  one <- list(fit = fits_type())
  new_study_block(
    "figures", "plot",
    c(presence = "plot_presence", paths = "plot_paths", within = "plot_within", estimates = "plot_estimates",
      residuals = "plot_residuals", effects = "plot_effects", appraise = "appraise", influence_by = "influence_by"),
    keys = list(file = texts_type("files to write"), size = argument_type("", "size"), dpi = argument_type("", "dpi")),
    own = list(within = one, estimates = list(fits = fits_type(), term = argument_type("spec_table", "terms")),
               residuals = one, effects = one, influence_by = one),
    less = c("x", "fit", "steps", "terms", "focus", "weights", "rows", "level", "seed", "unrelated")
  )
}

# What stands at the top, in this order, with what is there.
study_key_words <- c(
  study = "1, the version of the format", title = "a text for what is written", author = "one or several names",
  date = "a text; no date stands in what is written unless it stands here",
  seed = "a whole number, of every step that draws and has none of its own; 1 unless written",
  data = paste("`file` (a path, a pattern or several), `entity`, `period`; options of [read_panel()], and of",
               "[panel_to_long()] where it is wide"),
  "repair" = "arguments of [panel_repair()]; what `data` says of cells holds here too",
  join = "a map or a list of them: `file`, arguments of [panel_join()], reading options",
  let = "new columns, `name: expression`, in any order; conditions give 0 and 1",
  labels = "columns or terms and their labels",
  samples = paste("`name: condition`, or `rows` and `balance` (`entities`, `block`); lags of a fit on a sample see",
                  "all rows; `all` is there"),
  errors = paste("standard errors by names of your own: `kind` (a word of `wavetax fit --errors`), `by`, `type`, `df`,",
                 "`lags`, `draws`, `seed`"),
  common = "keys of fits, where every fit starts",
  fits = paste("entries: `model`, `formula`, `outcome`, `add`, `without`, `sample`, `rows`, `errors`, `each` (a",
               "column: on the rows of each value; with `and_all: true` on all rows before them), `steps` (of",
               "[spec_ladder()]), and the model's own; `endogenous` and `instruments` make any [fit_instrumented()]"),
  appraise = paste("`focus`, `level`, `sample`, `outcome` of [appraise()], of the equation under `common`; what it",
                   "chooses is the fit `recommended`"),
  tests = "entries of any test, of [collinearity()] and [diagnose()]",
  tables = "entries, with `file`, one or several; without this key all fits in one table",
  figures = "entries, with `file`, and `size` and `dpi` of [save_figure()]",
  report = paste("file or files, `.html`, `.docx`, `.md`, `.pdf`; or `file` and `parts`: parts of [write_report()] and",
                 "sections of your own, each with `heading` and some of `text`, `tables`, `figures`, `tests`, `words`",
                 "(fits told by [in_words()]), in the order written"),
  output = "`folder` (`results`), endings of `tables` (`html`) and `figures` (`png`)"
)

study_keys <- names(study_key_words)

needed_keys <- c("study", "data", "fits")

# What others call what is meant, where the distance of letters does not find it.
foreign_keys <- c(heading = "title", name = "title", controls = "formula", covariates = "formula",
                  regressors = "formula", equation = "formula", models = "fits", regressions = "fits",
                  estimations = "fits", estimates = "fits", specifications = "fits", variables = "let",
                  transform = "let", generate = "let", compute = "let", subsets = "samples", filter = "samples",
                  cluster = "by", clusters = "by", vcov = "errors", se = "errors", id = "entity", time = "period",
                  unit = "entity", year = "period", dependent = "outcome", y = "outcome", subset = "sample",
                  where = "rows", fixed_effects = "effects", fe = "effects", iv = "instruments", plots = "figures",
                  graphs = "figures", charts = "figures", output_file = "file", path = "file", out = "output",
                  weight = "weights", columns = "fits", rename = "names", merge = "join", method = "model",
                  kind = "model", estimator = "model")

near_keys <- function(key, known) {
  near <- nearest_name(key, known)
  if (length(near) > 0) return(near)
  own <- unname(foreign_keys[tolower(key)])
  if (!is.na(own) && own %in% known) own else character()
}
