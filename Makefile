# Deft Ledger. "make demo" to try it, "make test" before every commit.
SHELL := /bin/bash
GO ?= go

.PHONY: demo build test bench ui types notices shots check chromium

demo: build
	bin/deftledger demo $(if $(DATA),--data $(DATA))

build: ui
	$(GO) build -o bin/deftledger ./cmd/deftledger

ui: ui/node_modules/.package-lock.json
	cd ui && npm run -s build

ui/node_modules/.package-lock.json: ui/package.json ui/package-lock.json
	@# "npm ci" would refuse a lock file that lacks binaries of other platforms.
	cd ui && npm install --no-save --no-audit --no-fund --loglevel=error
	@touch $@

# The types of the front end are generated from the API description.
types:
	$(GO) run ./cmd/deftledger openapi > ui/openapi.json
	cd ui && npm run -s types

# The licences of everything that ships inside the program, from what the build uses.
notices: ui/node_modules/.package-lock.json
	$(GO) run ./cmd/notices > ui/public/notices.txt.new && mv ui/public/notices.txt.new ui/public/notices.txt

check: ui
	@test -z "$$(gofmt -l $$(git ls-files '*.go'))" || (gofmt -l $$(git ls-files '*.go'); echo "run gofmt on these files"; exit 1)
	$(GO) vet ./...
	$(GO) tool staticcheck ./...
	$(GO) run ./cmd/deftledger openapi | diff -q - ui/openapi.json || (echo "the API changed: run make types"; exit 1)
	$(GO) run ./cmd/notices | diff -q - ui/public/notices.txt || (echo "what ships has changed: run make notices"; exit 1)
	cd ui && npm run -s types && git diff --exit-code --stat -- src/exchange/schema.d.ts
	cd ui && npm run -s check && npm run -s lint && npm run -s test

chromium:
	@command -v chromium >/dev/null || command -v google-chrome >/dev/null || \
	  (echo "Chromium is missing, trying to install Debian's package" && apt-get update -qq && apt-get install -y -qq chromium >/dev/null) || \
	  (echo "Install Chromium: apt-get install chromium" && exit 1)

test: check chromium build
	$(GO) test $$($(GO) list ./... | grep -v /e2e) -count=1 -timeout 5m
	$(GO) test ./e2e -count=1 -timeout 15m -parallel 3 -v

# Figures, with the whole program as users run it.
bench: build
	$(GO) test ./e2e -run '^$$' -bench . -benchtime=1x -count=1 -timeout 20m

# Pictures of each main view, from the demo data, into docs/screenshots.
shots: build chromium
	DEFTLEDGER_SHOTS=$(CURDIR)/docs/screenshots $(GO) test ./e2e -run TestPictures -count=1 -v
