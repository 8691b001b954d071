# make demo     the main job on the demo data
# make test     all tests: C++ core, R core, package
# make check    R CMD check
# make docs     bindings and help pages from the sources
# make lint     the formatting rules
# make fuzz     random arguments to every exported function
# make mutants  one-line mutations of the code, and which of them no test notices
# make bench    speed and memory, side by side with base R
# make screenshots   the pictures in docs/screenshots
# make install  the package and the command-line tool, for this user
# Each installs what it needs first (tools/setup.sh).

SHELL := /bin/bash
LIBRARY := .build/library
STAMP := $(LIBRARY)/.installed
SOURCES := $(shell find R src inst data exec DESCRIPTION NAMESPACE man -type f ! -name '*.o' ! -name '*.so' 2>/dev/null)
# R CMD INSTALL with two compilations at a time.
INSTALL := MAKEFLAGS=-j2 WAVETAX_MAKEVARS="$${R_MAKEVARS_USER:-$$HOME/.R/Makevars}" \
  R_MAKEVARS_USER="$(CURDIR)/tools/Makevars" R CMD INSTALL
RUN := R_LIBS="$(CURDIR)/$(LIBRARY)$${R_LIBS:+:$$R_LIBS}"
PREFIX ?= $(if $(filter 0,$(shell id -u)),/usr/local,$(HOME)/.local)

.NOTPARALLEL:
.PHONY: demo test check docs lint fuzz mutants bench screenshots install build clean

demo: setup-demo $(STAMP)
	@$(RUN) exec/wavetax demo --out demo-output

build: setup-build $(STAMP)

setup-%:
	@tools/setup.sh $*

$(STAMP): $(SOURCES)
	@mkdir -p "$(LIBRARY)"
	@echo "Installing the package into .build/library (a minute or two the first time)" >&2
	@$(INSTALL) --library="$(LIBRARY)" . > .build/install.log 2>&1 || { tail -40 .build/install.log >&2; exit 1; }
	@touch "$(STAMP)"

test: setup-test $(STAMP)
	@$(RUN) Rscript tools/test.R

check: setup-test
	@rm -rf .build/check && mkdir -p .build/check
	@R CMD build --no-manual . > .build/build.log 2>&1 || { cat .build/build.log; exit 1; }
	@mv wavetax_*.tar.gz .build/check/
	@cd .build/check && _R_CHECK_FORCE_SUGGESTS_=false R CMD check --no-manual wavetax_*.tar.gz

docs: setup-docs
	@Rscript tools/document.R

lint: setup-lint
	@Rscript tools/lint.R

fuzz: build
	@$(RUN) Rscript tools/fuzz.R

mutants: setup-test $(STAMP)
	@$(RUN) Rscript tools/mutants.R

bench: build
	@$(RUN) Rscript bench/run.R
	@echo; $(RUN) Rscript bench/design.R
	@echo; $(RUN) Rscript bench/structure.R
	@echo; $(RUN) Rscript bench/files.R
	@echo; $(RUN) Rscript bench/errors.R
	@echo; $(RUN) Rscript bench/tests.R
	@echo; $(RUN) bench/start.sh

screenshots: setup-screenshots $(STAMP)
	@$(RUN) bash tools/screenshots.sh

# For one user alone fish looks among its own.
FISH := $(if $(filter 0,$(shell id -u)),$(PREFIX)/share/fish/vendor_completions.d,$(HOME)/.config/fish/completions)

install: setup-demo
	@library="$$(Rscript tools/packages.R library)" && mkdir -p .build && \
	$(INSTALL) --library="$$library" . > .build/install.log 2>&1 || { tail -40 .build/install.log >&2; exit 1; }; \
	mkdir -p "$(PREFIX)/bin" "$(PREFIX)/share/man/man1" "$(PREFIX)/share/bash-completion/completions" \
	  "$(PREFIX)/share/zsh/site-functions" "$(FISH)" && \
	tools/launcher.sh "$$library/wavetax" > "$(PREFIX)/bin/wavetax" && chmod 755 "$(PREFIX)/bin/wavetax" && \
	install -m 644 inst/shell/wavetax.1 "$(PREFIX)/share/man/man1/wavetax.1" && \
	install -m 644 inst/shell/completion.bash "$(PREFIX)/share/bash-completion/completions/wavetax" && \
	install -m 644 inst/shell/completion.zsh "$(PREFIX)/share/zsh/site-functions/_wavetax" && \
	install -m 644 inst/shell/completion.fish "$(FISH)/wavetax.fish" && \
	echo "Installed: the R package wavetax in $$library, and $(PREFIX)/bin/wavetax with its manual and completion" && \
	echo "zsh finds its completion with  fpath=(\"$(PREFIX)/share/zsh/site-functions\" \$$fpath)  before compinit."
	@case ":$$PATH:" in *":$(PREFIX)/bin:"*) ;; \
	  *) echo "$(PREFIX)/bin is not on your PATH: add  export PATH=\"$(PREFIX)/bin:\$$PATH\"  to your shell's start-up file." ;; esac

clean:
	@rm -rf .build demo-output src/*.o src/*.so
