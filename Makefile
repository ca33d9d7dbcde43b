.PHONY: demo test install lint format check chaos coverage sanitize docs guides bench clean

DEMO = brackwater

demo:
	@sh tools/setup.sh demo
	@sh tools/install.sh
	@sh inst/bin/sprenn demo $(DEMO) --force

test:
	@sh tools/setup.sh test
	@sh tools/install.sh
	@Rscript --no-save --no-restore tools/test.R

install:
	@sh tools/setup.sh run
	@sh tools/install.sh
	@sh tools/launcher.sh

# Style and rules; `make lint SINCE=REV` looks at what has changed since. `make format` fixes
# the layout.
lint:
	@sh tools/setup.sh lint
	@sh tools/install.sh
	@Rscript --no-save --no-restore tools/lint.R $(if $(SINCE),since $(SINCE))

format:
	@sh tools/setup.sh lint
	@sh tools/install.sh
	@Rscript --no-save --no-restore tools/lint.R mend $(if $(SINCE),since $(SINCE))

check:
	@sh tools/setup.sh check
	@sh tools/check.sh

# The short form of the test bed: kills and mutated inputs, with the package as installed.
chaos:
	@Rscript --no-save --no-restore bench/chaos.R short

# The share of lines that the tests run, by file; `make coverage TESTS=PATTERN` runs some.
coverage:
	@sh tools/setup.sh coverage
	@Rscript --no-save --no-restore tools/coverage.R $(TESTS)

# The tests of the core under the address and undefined-behaviour sanitizers.
sanitize:
	@sh tools/setup.sh test
	@sh tools/sanitize.sh

# Help pages, schemas, docs/files.md and the site in site/; needed after a change of fields, roxygen
# comments or glue.
docs:
	@sh tools/setup.sh docs
	@Rscript -e 'Rcpp::compileAttributes(".")'
	@sh tools/install.sh
	@Rscript -e 'roxygen2::roxygenise(".", load_code = "installed")'
	@Rscript tools/schema.R
	@sh tools/install.sh
	@Rscript tools/site.R

# Runs the guides' examples and writes vignettes/; needed after a change of guides, examples or
# the output of commands.
guides:
	@sh tools/setup.sh test
	@sh tools/install.sh
	@Rscript tools/guides.R

bench:
	@sh tools/setup.sh bench
	@sh tools/install.sh
	@Rscript bench/natural.R
	@Rscript bench/validity.R
	@Rscript bench/speed.R
	@Rscript bench/making.R
	@Rscript bench/suite.R
	@Rscript bench/calibration.R
	@Rscript bench/flight.R
	@Rscript bench/scale.R
	@Rscript bench/report.R
	@Rscript bench/choosing.R
	@Rscript bench/contrasts.R
	@Rscript bench/drift.R
	@Rscript bench/race.R
	@sh inst/bin/sprenn demo $(DEMO) --force
	@Rscript bench/characters.R $(DEMO)
	@Rscript bench/chaos.R all

clean:
	rm -rf $(DEMO) site src/*.o src/core/*.o src/*.so sprenn.Rcheck sprenn_*.tar.gz
