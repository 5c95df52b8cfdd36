# The commands people and CI share.
.PHONY: start account worker test check fix shots bench torture prove lock types

start:            ## everything from Debian packages to a running, seeded application
	@scripts/start || case $$? in 129|130|143) ;; *) exit 1 ;; esac

account:          ## an account, before the first start or later: make account NAME=you
	@scripts/account "$(NAME)"

worker:           ## one more bench on this or another machine, at the same database: MINTSEED_BENCH_NAME=workshop
	@scripts/worker || case $$? in 129|130|143) ;; *) exit 1 ;; esac

test:             ## every check and every test
	@scripts/prepare --tests
	@scripts/check
	@.venv/bin/python -m tests

check:            ## linters, types, boundaries, drift; warnings are errors
	@scripts/prepare --tests
	@scripts/check

fix:              ## put right what the linters can
	.venv/bin/ruff check --fix src tests bench torture proving manage.py
	.venv/bin/ruff format src tests bench torture proving manage.py

types:            ## the OpenAPI snapshot and the front end's types, made from the code
	@.venv/bin/python manage.py openapi > web/src/api/openapi.json
	@cd web && npm run -s types
	@.venv/bin/python -m docs.findings > docs/findings.md

shots:            ## the pictures in docs/screenshots, from the demo data
	@scripts/prepare --tests
	@.venv/bin/python scripts/shots.py

bench:            ## the benchmarks; results in docs/benchmarks.md
	@scripts/prepare --tests
	@.venv/bin/python -m bench

torture:          ## kills, starts, races, attacks, damaged files, by the hundred; hours; table in docs/reliability.md
	@scripts/prepare --tests
	@.venv/bin/python -m torture

prove:            ## filled cards start a real Linux in virtual machines, join a real radio cell and are found; table in docs/proving.md. As root
	@scripts/prepare --machine
	@scripts/prepare --tests
	@.venv/bin/python -m proving
	@MINTSEED_PROVE=1 .venv/bin/python -m pytest tests/browser/test_machine.py

lock:             ## pin what requirements.in names
	.venv/bin/pip install -q pip-tools
	.venv/bin/pip-compile -q --allow-unsafe --generate-hashes --no-emit-index-url --no-emit-trusted-host --no-emit-find-links --strip-extras --no-header -o requirements.lock requirements.in
