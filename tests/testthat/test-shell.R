# The command line as people in a shell use it: a table of habits. Each line is run by bash, and by zsh where it is
# there, in a folder with d.csv; `$keys` and `$eq` are what every fit needs.
habits <- function() {
  row <- function(line, out = NULL, err = NULL, status = 0L, none = NULL) {
    list(line = line, out = out, err = err, status = status, none = none)
  }
  list(
    # Pipes in and out: what goes to standard output has it for itself.
    row("cat d.csv | wavetax fit - $keys $eq --model fixed", "^Fixed effects by harbour"),
    row("wavetax fit <(cat d.csv) $keys $eq --model fixed --quiet", "^Fixed effects", none = "."),
    row("mkfifo pipe; cat d.csv > pipe & wavetax fit pipe $keys $eq --model fixed", "^Fixed effects"),
    row("wavetax fit d.csv $keys $eq --save - | wavetax compare - --format csv", "^fixed,levy,-0.0428"),
    row("wavetax compare <(wavetax fit d.csv $keys $eq --model fixed --save -) <(wavetax fit d.csv $keys $eq --save -)",
        "^ +1 +2 pooled +2 fixed"),
    row("wavetax fit d.csv $keys $eq --model fixed --table - | head -1", "^Specifications of log\\(nights\\)$"),
    row("wavetax fit d.csv $keys $eq --model fixed --format html", "^<!doctype html>"),
    row("wavetax fit d.csv $keys $eq --model fixed --figure - | head -c 8 | od -c | head -1", "211 +P +N +G"),
    row("wavetax repair d.csv $keys -o m.csv --log - | tail -1", "^}"),
    row("wavetax join d.csv <(echo season,rain; echo 2010,3) $keys --by season -o - | head -1", "sheltered,rain$"),
    row("wavetax predict d.csv $keys $eq -o - -q | head -2; echo ${PIPESTATUS[0]}${pipestatus[1]}", "^0+$", none = "."),
    row("wavetax fit - - $keys $eq < d.csv", err = "can be read once", status = 2L),
    row("wavetax fit d.csv $keys $eq --save - --table -", err = "Only one thing can go", status = 2L),
    row("wavetax fit d.csv $keys $eq --tests --save -", err = "--save - prints one thing alone", status = 2L),
    # What R can do.
    row("wavetax fit d.csv $keys --formula 'log(nights) ~ levy + x' --let 'x = change(levy) * berths' --model fixed",
        "^  x +-0.000086"),
    row("wavetax fit d.csv $keys $eq --model fixed --let 'levy = levy * 100'", "^  levy +-0.000428",
        "`levy` is replaced by `levy \\* 100`"),
    row("wavetax fit d.csv $keys $eq --let 'season = 1'", err = "`season` is a key", status = 1L),
    row("wavetax fit d.csv $keys $eq --let 'x = unlink(1)'", err = "`unlink` is not allowed", status = 1L),
    row("wavetax fit d.csv $keys $eq --let 'x = past(levy, 0:2)'", err = "gives several columns", status = 1L),
    row("wavetax fit d.csv $keys $eq --let 'x == 1'", err = "no name and value", status = 1L),
    row("wavetax fit d.csv $keys $eq --model fixed --each coast --and-all --width 120 --table -",
        "^ +all +Brindle +Ember +Quillon +Tallow"),
    row("wavetax fit d.csv $keys $eq --steps '~ past(storms, 1), harbour' --steps random --table -",
        "^ +levy +\\+ past\\(storms, 1\\) +\\+ harbour effects"),
    row("wavetax fit d.csv $keys $eq --steps '~ storms' --model fixed", err = "--model has no effect", status = 2L),
    row("wavetax fit d.csv $keys $eq --model fixed --test 'levy = -0.05'", "^F = 0\\.7267 on 1 and 95 df, p = 0\\.396"),
    row("wavetax fit d.csv $keys $eq --test 'levvy'", err = "no coefficient or variable 'levvy'", status = 1L),
    row("wavetax fit q.csv --entity e --period q --formula 'y ~ factor(quarter_of(q))' --model pooled",
        "quarter_of\\(q\\) \\(against 1\\)"),
    row("wavetax predict d.csv $keys $eq --interval prediction -o - | head -1",
        "predicted,predicted_low,predicted_high$", "1,046 of 1,046 rows"),
    row("wavetax predict d.csv $keys $eq -o - -q | sed -n 2p", "305,0,6[.]78"),
    row("wavetax predict d.csv $keys $eq --average -o - -q | sed -n 2p", "305,0,7[.]57"),
    row("wavetax predict d.csv $keys $eq --effects both --interval prediction -o -", err = "`--average` gives them",
        status = 1L),
    row("wavetax predict d.csv $keys $eq --as levy -o p.csv", err = "a column 'levy' already", status = 2L),
    row("wavetax influence d.csv $keys $eq --without coast --format csv", "^\"?Brindle\"?,223,"),
    # Help, widths, words.
    row("COLUMNS=60 wavetax help fit | awk 'length > 60'; wavetax help fit | awk 'length > 80'; echo none", "^none$"),
    row("COLUMNS=140 wavetax fit d.csv $keys $eq --errors clustered,robust --table - | awk 'NR == 3'",
        "random, robust$"),
    row("wavetax fit d.csv $keys $eq --width 50 --table - | awk 'length > 50'; echo none", "^none$"),
    row("wavetax fit d.csv $keys $eq --width 5", err = "from 40 to 1000", status = 2L),
    row("wavetax fit d.csv $keys --formula 'log(nights) ~ levy storms'", err = "cannot be read at \"storms\"",
        status = 1L),
    row("wavetax fit d.csv $keys $eq --rows 'season >'", err = "Something is missing at its end", status = 1L),
    row("R_LIBS= R_LIBS_USER=x R_LIBS_SITE=x wavetax fit d.csv; echo $?", "^(1|2)$", none = "Calls|halted"),
    row("ln -s \"$script\" w; ./w -V; COLUMNS= ./w help fit | head -1", "^Usage: wavetax fit FILE")
  )
}

shell_says <- function(shell, line, folder) {
  out <- tempfile()
  err <- tempfile()
  script <- tempfile(fileext = ".sh")
  writeLines(c(
    paste0("export R_LIBS=", shQuote(paste(.libPaths(), collapse = ":"))),
    paste0("export PATH=", shQuote(R.home("bin")), ":$PATH; unset COLUMNS"),
    paste0("script=", shQuote(system.file("exec", "wavetax", package = "wavetax"))),
    "wavetax() { sh \"$script\" \"$@\"; }",
    "keys=(--entity harbour --period season); eq=(--formula 'log(nights) ~ levy')",
    paste("cd", shQuote(folder)), gsub("[$](keys|eq)", "\"${\\1[@]}\"", line)
  ), script)
  status <- system2(shell, script, stdout = out, stderr = err, stdin = "")
  list(status = status, out = readLines(out, warn = FALSE), err = readLines(err, warn = FALSE))
}

test_that("habits of the shell, in bash and in zsh", {
  skip_on_os("windows")
  folder <- fresh_folder()
  file.copy(system.file("extdata", "harbours.csv", package = "wavetax"), file.path(folder, "d.csv"))
  quarters <- data.frame(e = rep(1:3, each = 8), q = paste0(rep(2014:2015, each = 4), "Q", 1:4), y = sin(1:24))
  utils::write.csv(quarters, file.path(folder, "q.csv"), row.names = FALSE)
  rows <- habits()
  for (i in seq_along(rows)) {
    row <- rows[[i]]
    # Processes that zsh makes otherwise: those of its own syntax.
    shells <- if (grepl("<\\(|pipe", row$line, ignore.case = TRUE)) c("bash", "zsh") else "bash"
    for (shell in shells[nzchar(Sys.which(shells))]) {
      unlink(file.path(folder, c("pipe", "w")))
      said <- shell_says(shell, row$line, folder)
      if (!is.null(row$out)) expect_match(said$out, row$out, all = FALSE, label = paste(shell, row$line))
      if (!is.null(row$err)) expect_match(paste(said$err, collapse = " "), row$err, label = paste(shell, row$line))
      if (!is.null(row$none)) expect_false(any(grepl(row$none, said$err)), label = paste(shell, row$line))
      expect_identical(said$status, row$status, label = paste(shell, row$line))
    }
  }
})

test_that("what the shell tells without R is what the commands say", {
  for (file in names(texts <- wavetax:::shell_texts())) {
    expect_identical(readLines(system.file("shell", file, package = "wavetax")), texts[[file]], label = file)
  }
})

test_that("completion offers commands, values behind commas and =, and columns, and runs nothing of a table", {
  skip_if(!nzchar(Sys.which("bash")))
  folder <- fresh_folder()
  writeLines(c("\"$(touch ran)\",`touch ran`,a b,coast,season", "1,2,3,4,5"), file.path(folder, "d.csv"))
  offered <- function(...) {
    words <- c("wavetax", ...)
    line <- c(
      "source <(wavetax completion bash)",
      sprintf("COMP_WORDS=(%s); COMP_CWORD=%d; _wavetax 2> /dev/null", paste(shQuote(words), collapse = " "),
              length(words) - 1),
      "printf '%s\\n' \"${COMPREPLY[@]}\""
    )
    shell_says("bash", paste(line, collapse = "\n"), folder)$out
  }
  expect_identical(offered("app"), "appraise")
  expect_identical(offered("fit", "d.csv", "--model", "fixed,ran"), "fixed,random")
  expect_identical(offered("fit", "d.csv", "--errors", "=", "few"), "few-clusters")
  expect_identical(offered("fit", "d.csv", "--by", "coast", ":", "se"), "season")
  expect_identical(offered("fit", "d.csv", "--by", "coast+se"), "coast+season")
  expect_identical(offered("fit", "d.csv", "--entity", ""),
                   c("\\$\\(touch\\ ran\\)", "\\`touch\\ ran\\`", "a\\ b", "coast", "season"))
  expect_false(file.exists(file.path(folder, "ran")))
  expect_true("--let" %in% offered("fit", "d.csv", "--"))
  skip_if(!nzchar(Sys.which("fish")))
  fish <- function(line) {
    asked <- sprintf("wavetax completion fish > c.fish; fish -c %s",
                     shQuote(sprintf("source c.fish; complete -C '%s'", line)))
    sub("\t.*", "", shell_says("bash", asked, folder)$out)
  }
  expect_identical(fish("wavetax fit d.csv --errors clustered,few"), "clustered,few-clusters")
  expect_identical(fish("wavetax fit d.csv --by coast:se"), "coast:season")
})
