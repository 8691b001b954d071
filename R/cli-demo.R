# wavetax demo: the whole job on the made-up harbours, each step with a line on why.

demo_command <- function() {
  new_command(
    "run the whole job on the made-up harbours", "wavetax demo [--out DIR]",
    "Runs the whole job on the made-up harbours, and writes its table and figure.",
    list(new_option("out", "folder", "folder for the table and the figure", "DIR", "folder",
                    default = "wavetax-demo")),
    function(values, files) new_results(text = function() demo_blocks(values$folder)), files = 0
  )
}

demo_blocks <- function(out) {
  make_folder(out)
  panel <- new_panel_frame(demo_data(), "harbour", "season")
  eq <- log(nights) ~ levy + storms + fuel
  pooled <- fit_pooled(eq, panel)
  fixed <- fit_fixed(eq, panel)
  random <- fit_random(eq, panel)
  table <- spec_table(pooled, fixed, random, hausman = TRUE)
  files <- file.path(out, c("harbours-table.html", "harbours-table.md", "harbours-levy.png"))
  write_table(table, files[1])
  write_table(table, files[2])
  save_figure(plot_estimates(pooled, fixed, random, terms = "levy"), files[3])
  others <- list(
    between = fit_between(eq, panel), "two-way" = fit_fixed(eq, panel, "both"),
    changes = fit_difference(eq, panel), correlated = fit_correlated(eq, panel)
  )
  steps <- list(
    "Structure: say which column is the entity and which the period." = blocks_of(panel_shape(panel)),
    "Pooled: all rows together; pleasant harbours charge more, and it shows." = blocks_of(pooled),
    "Fixed effects: each harbour against itself; the truth is -0.05." = blocks_of(fixed),
    "Random effects: harbours as draws unrelated to their levy." = blocks_of(random),
    "Which one is to be believed?" = blocks_of(test_hausman(fixed, random)),
    "Are the disturbances of a harbour related over time?" = blocks_of(test_serial(fixed)),
    "The competing specifications in one table and one figure." =
      list(blocks_of(table), gap_block(), text_block("Written: ", list_words(files))),
    "The same question to other models of the equation." = blocks_of(spec_table(others, terms = "levy")),
    "Which model, and which errors? All the questions in one call." = blocks_of(appraise(eq, panel, focus = "levy")),
    "The same in five lines of R, after library(wavetax):" = code_block(paste0("  ", demo_lines))
  )
  lapply(seq_along(steps), function(at) {
    list(if (at > 1) gap_block(), heading_block(at, ". ", names(steps)[at]), gap_block(), steps[[at]])
  })
}

demo_lines <- c(
  "panel <- panel_frame(harbours, harbour, season)",
  "eq <- log(nights) ~ levy + storms + fuel",
  "fits <- list(fit_pooled(eq, panel), fit_fixed(eq, panel), fit_random(eq, panel))",
  "test_hausman(fits[[2]], fits[[3]]); test_serial(fits[[2]])",
  "spec_table(fits, hausman = TRUE); plot_estimates(fits, terms = \"levy\")"
)

demo_data <- function() {
  shelf <- new.env()
  utils::data("harbours", package = "wavetax", envir = shelf)
  shelf$harbours
}
