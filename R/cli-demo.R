# wavetax demo: the whole job on the made-up harbours, each step with a line on why.

cli_demo_parser <- function() {
  optparse::OptionParser(
    usage = "wavetax demo [--out DIR]",
    description = "\nRuns the whole job on the made-up harbours, and writes its table and figure.",
    option_list = list(
      cli_option("--out", "DIR", "folder for the table and the figure [default: wavetax-demo]",
                 "wavetax-demo")
    )
  )
}

cli_demo <- function(args) {
  out <- cli_arguments(args, cli_demo_parser(), positional = 0)$options$out
  make_folder(out)
  harbours <- demo_data()
  panel <- new_panel_frame(harbours, "harbour", "season")
  eq <- log(nights) ~ levy + storms + fuel
  pooled <- fit_pooled(eq, panel)
  fixed <- fit_fixed(eq, panel)
  random <- fit_random(eq, panel)
  table <- spec_table(pooled, fixed, random, hausman = TRUE)
  files <- file.path(out, c("harbours-table.html", "harbours-table.md", "harbours-levy.png"))
  write_table(table, files[1])
  write_table(table, files[2])
  save_figure(plot_estimates(pooled, fixed, random, term = "levy"), files[3])

  step <- demo_steps()
  step("Structure: say which column is the entity and which the period.")
  print(panel_shape(panel))
  step("Pooled: all rows together; pleasant harbours charge more, and it shows.")
  print(pooled)
  step("Fixed effects: each harbour against itself; the truth is -0.05.")
  print(fixed)
  step("Random effects: harbours as draws unrelated to their levy.")
  print(random)
  step("Which one is to be believed?")
  print(test_hausman(fixed, random))
  step("Are the disturbances of a harbour related over time?")
  print(test_serial(fixed))
  step("The competing specifications in one table and one figure.")
  print(table)
  writeLines("")
  show_blocks(text_block("Written: ", list_words(files)))
  step("The same question to other models of the equation.")
  others <- list(
    between = fit_between(eq, panel), "two-way" = fit_fixed(eq, panel, "both"),
    changes = fit_difference(eq, panel), correlated = fit_correlated(eq, panel)
  )
  print(spec_table(others, terms = "levy"))
  step("Which model, and which errors? All the questions in one call.")
  print(appraise(eq, panel, focus = "levy"))
  step("The same in five lines of R, after library(wavetax):")
  writeLines(paste0("  ", demo_lines))
}

demo_lines <- c(
  "panel <- panel_frame(harbours, harbour, season)",
  "eq <- log(nights) ~ levy + storms + fuel",
  "fits <- list(fit_pooled(eq, panel), fit_fixed(eq, panel), fit_random(eq, panel))",
  "test_hausman(fits[[2]], fits[[3]]); test_serial(fits[[2]])",
  "spec_table(fits, hausman = TRUE); plot_estimates(fits, term = \"levy\")"
)

# Numbers the steps as they come.
demo_steps <- function() {
  at <- new.env()
  at$number <- 0L
  function(words) {
    at$number <- at$number + 1L
    if (at$number > 1L) writeLines("")
    writeLines(c(cli::style_bold(paste0(at$number, ". ", words)), ""))
  }
}

demo_data <- function() {
  shelf <- new.env()
  utils::data("harbours", package = "wavetax", envir = shelf)
  shelf$harbours
}

make_folder <- function(folder) {
  if (dir.exists(folder) || dir.create(folder, showWarnings = FALSE, recursive = TRUE)) return(invisible())
  stop_wavetax("cannot_write", sprintf("The folder %s cannot be made.", sQuote(folder, FALSE)),
               todo = "Choose another with --out.")
}
