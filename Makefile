.PHONY: demo test install lint format check sanitize schema docs guides bench clean

DEMO = brackwater

demo:
	@sh tools/setup.sh run
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

# Style and rules; `make lint SINCE=REV` looks at what has changed since. `make format` mends
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
	@sh tools/setup.sh test
	@sh tools/check.sh

# The tests of the core under the address and undefined-behaviour sanitizers.
sanitize:
	@sh tools/setup.sh test
	@sh tools/sanitize.sh

# After a change of the fields, the roxygen comments or the glue; and the site, in site/.
docs:
	@sh tools/setup.sh test
	@Rscript -e 'Rcpp::compileAttributes(".")'
	@sh tools/install.sh
	@Rscript -e 'roxygen2::roxygenise(".", load_code = "installed")'
	@sh tools/install.sh
	@Rscript tools/schema.R
	@Rscript tools/site.R

# After a change of the guides or their examples, or of what commands say: runs them.
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
	@Rscript bench/suite.R
	@Rscript bench/calibration.R
	@Rscript bench/flight.R
	@Rscript bench/scale.R
	@Rscript bench/report.R
	@Rscript bench/choosing.R
	@Rscript bench/drift.R
	@Rscript bench/race.R
	@sh inst/bin/sprenn demo $(DEMO) --force
	@Rscript bench/characters.R $(DEMO)
	@Rscript bench/fuzz.R

clean:
	rm -rf $(DEMO) site src/*.o src/core/*.o src/*.so sprenn.Rcheck sprenn_*.tar.gz
