# The schema of a study, written from the descriptors that its checks read: inst/schema/study.json. It is of the tree as
# our reader has it, where every scalar is a text; names of fits, columns and files are looked up in R alone.

study_schema <- function() {
  text <- json_text_type
  several <- one_or_several(text)
  any_of <- function(...) list(anyOf = list(...))
  ref <- function(name) list("$ref" = paste0("#/$defs/", name))
  fragments <- function(types) lapply(types, `[[`, "json")
  map_of <- function(properties, required = NULL) {
    c(list(type = "object", properties = properties[sort(names(properties))], additionalProperties = FALSE),
      if (!is.null(required)) list(required = as.list(required)))
  }
  # An entry: nothing, or its keys; `none` takes any of them back.
  entries <- function(properties) {
    or_none <- lapply(properties, function(one) any_of(one, list(const = "none")))
    any_of(list(type = "array", items = text), list(type = "object", additionalProperties = any_of(
      list(const = ""), map_of(c(or_none, list(like = text))))))
  }
  block_keys <- function(block) {
    own <- unlist(lapply(names(block$doors), function(word) fragments(entry_types(block, word))), recursive = FALSE)
    kind <- stats::setNames(list(text), block$kind)
    c(kind, alternatives_by_name(own))
  }
  fit_keys <- c(fit_key_fragments(), list(model = ref("crossed")))
  errors <- any_of(text, list(type = "object"), list(type = "array"))
  list(
    "$schema" = "https://json-schema.org/draft/2020-12/schema", title = "A study of wavetax", type = "object",
    required = as.list(needed_keys), additionalProperties = FALSE,
    properties = list(
      study = list(const = "1"), title = text, author = several, date = text, seed = whole_type()$json,
      data = map_of(c(list(file = several, labels = text), fragments(data_types())), c("file", "entity", "period")),
      repair = map_of(fragments(repair_types())),
      join = one_or_several(map_of(c(list(file = text), fragments(join_types())), "file")),
      let = list(type = "object", additionalProperties = text), labels = list(type = "object",
                                                                              additionalProperties = text),
      samples = list(type = "object", additionalProperties = any_of(text, map_of(list(
        rows = text, balance = list(enum = as.list(setdiff(balance_ways, "fill"))))))),
      errors = list(type = "object", additionalProperties = map_of(stats::setNames(
        rep(list(several), length(study_error_keys)), study_error_keys), "kind")),
      common = map_of(lapply(fit_keys[setdiff(names(fit_keys), c(group_keys, "steps"))], function(one) {
        any_of(one, list(const = "none"))
      })),
      fits = entries(fit_keys),
      appraise = map_of(c(fragments(appraise_types()), list(sample = ref("crossed"), outcome = ref("crossed")))),
      tests = entries(block_keys(tests_block())), tables = entries(block_keys(tables_block())),
      figures = entries(block_keys(figures_block())),
      report = any_of(several, map_of(list(file = several, parts = list(type = "array")), "file")),
      output = map_of(fragments(output_types()))
    ),
    "$defs" = list(crossed = any_of(text, list(type = "array"), list(type = "object")))
  )
}

# Fragments of one name under several doors, each once.
alternatives_by_name <- function(fragments) {
  lapply(split(unname(fragments), factor(names(fragments), unique(names(fragments)))), function(same) {
    same <- unique(same)
    if (length(same) == 1) same[[1]] else list(anyOf = same)
  })
}

fit_key_fragments <- function() {
  crossed <- list("$ref" = "#/$defs/crossed")
  plain <- alternatives_by_name(unlist(lapply(c(study_models(), "instrumented"), function(model) {
    lapply(door_types(paste0("fit_", model), c("errors", "serial", "model", "rows")), `[[`, "json")
  }), recursive = FALSE))
  plain[intersect(names(plain), crossed_keys)] <- rep(list(crossed), length(intersect(names(plain), crossed_keys)))
  c(plain, list(formula = json_text_type, outcome = crossed, add = json_text_type, without = json_text_type,
                sample = crossed, rows = json_text_type, errors = crossed, serial = crossed, split = json_text_type,
                each = json_text_type, and_all = flag_type()$json,
                steps = list(type = "array")))
}

# As text, in the order in which it stands.
study_schema_json <- function() {
  check_package("jsonlite", "writes JSON")
  as.character(jsonlite::toJSON(study_schema(), auto_unbox = TRUE))
}
