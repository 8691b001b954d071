# wavetax run STUDY: a study file from raw data to tables and figures. wavetax init DIR: a study to start from.

run_command <- function() {
  new_command(
    "run a study file, from raw data to tables and figures", "wavetax run STUDY.yaml [options]",
    paste("Runs a study file: what stands in it is checked first, what has not changed is kept, what fails is told",
          "while the rest goes on. Exit status 1 when a step failed."),
    options_under(
      run = list(
        new_option("plan", "flag", "tell what would run, and why; nothing is estimated or written"),
        new_option("only", "texts", "what to run, with all that it needs, such as tables/main,figures", "LIST"),
        new_option("fresh", "flag", "run everything again"),
        new_option("allow-outside", "flag", "the study may read and write outside of its folder")
      ),
      output = list(new_option("code", "flag", "print the R calls that do the same; nothing is run"),
                    new_option("out", "folder", "folder for the results [default: the study's own]", "DIR", "folder"))
    ),
    run_study_command, files = 1, check = check_run_options
  )
}

check_run_options <- function(values) {
  for (one in c("plan", "fresh")) if (values$code && values[[one]]) {
    stop_usage(sprintf("--%s has no effect: --code runs nothing.", one))
  }
  if (values$plan && values$fresh) stop_usage("--fresh has no effect: --plan runs nothing.")
}

run_study_command <- function(values, files) {
  if (values$code) {
    code <- study_code(files, allow_outside = values$allow_outside)
    return(new_results(text = function() code_block(as.character(code))))
  }
  done <- run_study(files, plan = values$plan, only = values$only, fresh = values$fresh, out = values$folder,
                    allow_outside = values$allow_outside)
  failed <- !values$plan && any(done$steps$state == "failed")
  new_results(text = function() blocks_of(done), status = if (failed) 1L else 0L)
}

init_command <- function() {
  new_command(
    "write a study file to start from", "wavetax init DIR [FILE --entity COLUMN --period COLUMN --formula TEXT]",
    paste("Writes a study to start from: of the made-up harbours with their raw data, or the shortest one of your own",
          "file, which is copied beside it."),
    options_under(data = key_options(), model = list(formula_text_option())),
    run_init, files = Inf, check = check_init_options, reads = FALSE
  )
}

# As text, which is written down and not read yet.
formula_text_option <- function() new_option("formula", "text", "such as 'log(nights) ~ levy + storms'", "TEXT")

check_init_options <- function(values) {
  n <- length(values$named)
  if (!n %in% 1:2) stop_usage(sprintf("%s given; a folder, and a file of your own or none.", count_of(n, "argument")))
  given <- intersect(c("entity", "period", "formula"), names(values))
  if (n == 1 && length(given) > 0) stop_usage(sprintf("--%s has no effect without a file of your own.", given[1]))
  for (one in setdiff(c("entity", "period", "formula"), given)) if (n == 2) stop_usage(sprintf("--%s is missing.", one))
}

run_init <- function(values, files) {
  folder <- values$named[1]
  own <- if (length(values$named) == 2) values$named[2]
  written <- muffled(init_study(folder, own, values$entity, values$period, values$formula), "wavetax_message_study")
  new_results(text = function() {
    list(text_block("Written: ", paste(written, collapse = ", ")),
         code_block(paste("Run it: wavetax run", shell_words(written[1]))))
  })
}
