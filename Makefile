# Everything a fresh machine needs comes with the first command; later runs are quick.
PY := .venv/bin/python
STAMP := .venv/.ready

# Programs that tests start many times over are compiled once, whatever the machine's habit is.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: demo test check plain-install screenshots bench readers blends verdicts gentlest measured artwork clean

demo: $(STAMP)
	@.venv/bin/nimble-tile demo

# Three processes keep two processors busy: tests of the window wait now and then.
test: $(STAMP) check
	@QT_QPA_PLATFORM=offscreen $(PY) -m pytest -n 3 --dist loadfile --no-loadscope-reorder

check: $(STAMP)
	@.venv/bin/ruff check src tests tools bench
	@.venv/bin/ruff format --check src tests tools bench
	@.venv/bin/lint-imports
	@$(PY) tools/house_check.py

plain-install: $(STAMP)
	@sh tools/plain_install.sh

screenshots: $(STAMP)
	@$(PY) tools/screenshots.py docs/screenshots

bench: $(STAMP)
	@$(PY) bench/run.py
	@$(PY) bench/steering.py
	@$(PY) bench/window.py
	@$(PY) bench/once.py

readers: $(STAMP)
	@$(PY) tools/reader_table.py docs/readers.md

blends: $(STAMP)
	@$(PY) tools/blend_table.py docs/blends.md docs/screenshots/blends.png

verdicts: $(STAMP)
	@mkdir -p build
	@$(PY) tools/verdict_table.py measure build/verdicts.json
	@$(PY) tools/verdict_table.py table build/verdicts.json docs/verdict.md

gentlest: $(STAMP)
	@mkdir -p build
	@$(PY) bench/gentlest.py frontier build/gentlest.json
	@$(PY) bench/gentlest.py unseen build/gentlest.json
	@$(PY) bench/eye.py build/gentlest.json build/eye
	@$(PY) bench/gentlest.py mend build/gentlest.json
	@$(PY) bench/gentlest.py write build/gentlest.json docs
	@$(PY) bench/gentlest.py gallery docs/gallery.png

measured: $(STAMP)
	@{ echo "# What the figures in docs/ were measured with."; \
	  $(PY) -m pip freeze --exclude-editable | grep ==; } > packaging/measured.txt

artwork: $(STAMP)
	@cd tools && for script in draw_*.py; do ../$(PY) $$script; done

$(STAMP): pyproject.toml tools/setup.sh
	@sh tools/setup.sh
	@touch $(STAMP)

clean:
	rm -rf .venv build
