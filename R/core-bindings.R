# Bindings that other layers use as they are: what each does is said in src/.

core_any_contains <- function(x, part) cpp_any_contains(x, part)
core_any_repeated_cell <- function(entity, clock, entities, periods) {
  cpp_any_repeated_cell(entity, clock, entities, periods)
}
core_cell_extent <- function(bytes, seen) cpp_cell_extent(bytes, seen)
core_cluster_changes <- function(z, e, pick, clusters, threads) cpp_cluster_changes(z, e, pick, clusters, threads)
core_codes_nested <- function(inner, outer, groups) cpp_is_nested(inner, outer, groups)
core_code_text <- function(x) cpp_code_text(x)
core_column_size <- function(x, threads) cpp_column_size(x, threads)
core_crossing_groups <- function(groups, clusters, n, most) cpp_crossing_groups(groups, clusters, n, most)
core_effect_leverage <- function(system) cpp_effect_leverage(system)
core_expendable <- function(seconds) cpp_expendable(seconds)
core_far_values <- function(columns, codes, groups, least, ratio, threads) {
  cpp_far_values(columns, codes, groups, least, ratio, threads)
}
core_first_and_last <- function(entity, clock, entities) cpp_first_and_last(entity, clock, entities)
core_group_sums <- function(x, codes, groups) cpp_group_sums(x, codes, groups)
core_holds_zero <- function(path) cpp_holds_zero(path)
core_integer64 <- function(doubles) cpp_integer64(doubles)
core_integer64_text <- function(doubles) cpp_integer64_text(doubles)
core_interleave <- function(columns, n, doubles, threads) cpp_interleave(columns, n, doubles, threads)
core_is_plain_file <- function(path) cpp_is_plain_file(path)
core_number_facts <- function(x) cpp_number_facts(x)
core_rank_by_table <- function(x, limit) cpp_rank_by_table(x, limit)
core_read_numerals <- function(cells, comma, point, share, currencies, missing, sample) {
  cpp_read_numerals(cells, comma, point, share, currencies, missing, sample)
}
core_shifted_rows <- function(entity, clock, order, lag) cpp_shifted_rows(entity, clock, order, lag)
core_shifted_values <- function(x, entity, clock, entities, periods, lag, threads) {
  cpp_shifted_values(x, entity, clock, entities, periods, lag, threads)
}
core_strictly_ordered <- function(entity, clock) cpp_strictly_ordered(entity, clock)
core_text_counts <- function(path, separator) cpp_text_counts(path, separator)
core_to_orthonormal <- function(upper, rows) cpp_to_orthonormal(upper, rows)
core_write_output <- function(bytes) cpp_write_output(bytes)
