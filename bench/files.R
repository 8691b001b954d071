# Reading files, side by side with the plain readers in the same run: `Rscript bench/files.R`.
# Both in turn, five times after one each that is not counted: medians, and the median of the ratios. Peak
# memory is that of a process of its own.
suppressPackageStartupMessages(library(wavetax))

given <- commandArgs(trailingOnly = TRUE)
status <- function(field) {
  line <- grep(paste0("^", field), readLines("/proc/self/status"), value = TRUE)
  1024 * as.numeric(gsub("[^0-9]", "", line))
}
if (length(given) == 2) {
  writeLines("5", "/proc/self/clear_refs")
  before <- status("VmRSS")
  data <- if (given[1] == "ours") suppressMessages(read_panel(given[2], id, t)) else data.table::fread(given[2])
  cat(status("VmHWM") - before, "\n")
  quit(save = "no")
}

seconds <- function(expr) {
  gc(FALSE)
  system.time(expr(), gcFirst = FALSE)[["elapsed"]]
}
in_turn <- function(what, ours, base, most) {
  ours()
  base()
  took <- replicate(5, c(seconds(ours), seconds(base)))
  cat(sprintf("| %s | %.2f s | %.2f s | %.2f | %s |\n", what, stats::median(took[1, ]), stats::median(took[2, ]),
              stats::median(took[1, ] / took[2, ]), most))
}
cat("| measured | ours | the reader | ratio | at most |\n| :-- | --: | --: | --: | --: |\n")

set.seed(1)
file <- tempfile(fileext = ".csv")
n <- 1e7
data.table::fwrite(data.table::data.table(
  id = rep(seq_len(n / 10), each = 10), t = rep(2001:2010, n / 10), x = round(rnorm(n), 4), y = round(rnorm(n), 4),
  z = sample(100L, n, TRUE), coast = sample(c("Brindle", "Ember", "Tallow"), n, TRUE)
), file)
in_turn("read_panel(), 1e7 rows by 6 columns, against data.table::fread()",
        function() suppressMessages(read_panel(file, id, t)), function() data.table::fread(file), "1.5")
memory <- vapply(c("ours", "fread"), function(whose) {
  as.numeric(system2(file.path(R.home("bin"), "Rscript"), c("bench/files.R", whose, file), stdout = TRUE)) / 1e9
}, 0)
cat(sprintf("| its peak memory | %.2f GB | %.2f GB | %.2f | 2.5 |\n", memory[["ours"]], memory[["fread"]],
            memory[["ours"]] / memory[["fread"]]))

text <- as.data.frame(lapply(stats::setNames(1:10, paste0("x", 1:10)), function(i) {
  formatC(1000 * rnorm(1e6), digits = 3, format = "f")
}))
in_turn("deciding the numbers of 1e6 rows by 10 text columns, against as.numeric()",
        function() suppressMessages(wavetax:::settle_columns(text, wavetax:::read_options())),
        function() lapply(text, as.numeric), "1.5")
rm(text)

many <- data.frame(id = sprintf("firm%05d", rep(1:1e5, each = 10)), t = rep(2001:2010, 1e5))
for (column in letters[1:8]) many[[column]] <- round(rexp(1e6, 0.01), 2)
data.table::fwrite(many, file)
in_turn("panel_problems(), 1e6 rows by 10 columns, against data.table::fread() of the same",
        function() panel_problems(many, id, t), function() data.table::fread(file), "1.5")

book <- tempfile(fileext = ".xlsx")
sheet <- data.frame(id = sprintf("firm%05d", rep(1:2e4, each = 10)), t = rep(2001:2010, 2e4))
for (column in letters[1:18]) sheet[[column]] <- round(rnorm(2e5), 3)
openxlsx::write.xlsx(sheet, book)
in_turn("read_panel(), a sheet of 2e5 rows by 20 columns, against readxl::read_excel()",
        function() suppressMessages(read_panel(book, id, t)),
        function() readxl::read_excel(book, guess_max = 1e6), "1.3")
