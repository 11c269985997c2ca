# Every Post. `make demo` runs it, `make test` proves it; `make help` lists the rest.
SHELL := /bin/bash
.DELETE_ON_ERROR:
.DEFAULT_GOAL := help

# Everything is built alike, so that what one step built the next one finds.
export GOFLAGS := -trimpath

VERSION := $(shell git describe --tags --always --dirty 2>/dev/null || echo dev)
GO_FILES := $(shell find cmd internal tools -name '*.go' 2>/dev/null)
WEB_FILES := $(shell find web/src web/public -type f 2>/dev/null) web/index.html web/vite.config.ts

.PHONY: help
help: ## list what can be made
	@grep -hE '^[a-z-]+:.*## ' $(MAKEFILE_LIST) | awk -F':.*## ' '{printf "  %-12s %s\n", $$1, $$2}'

web/node_modules/.package-lock.json: web/package.json web/package-lock.json web/codegen/package.json
	cd web && npm ci

internal/console/dist/index.html: web/node_modules/.package-lock.json $(WEB_FILES)
	rm -rf internal/console/dist/assets
	cd web && npx --no-install vite build --logLevel warn
	gzip -9nkf internal/console/dist/assets/*.js internal/console/dist/assets/*.css

bin/everypost: internal/console/dist/index.html go.mod go.sum $(GO_FILES)
	go build -ldflags '-s -w -X main.version=$(VERSION)' -o $@ ./cmd/everypost

.PHONY: build demo test test-deps check bench screenshots generate clean
build: bin/everypost ## build the program with the console in it

demo: bin/everypost ## run the service with demo data and its stand-ins; Ctrl-C stops it
	@exec ./bin/everypost demo

test-deps: ## install what the tests need (Debian packages; needs root)
	./tools/test-deps.sh

test: test-deps bin/everypost ## run all tests, with the race detector
	./tools/test.sh

check: web/node_modules/.package-lock.json ## run the linters
	@test -z "$$(gofmt -l cmd internal test tools)" || { gofmt -l cmd internal test tools; echo 'gofmt would change these'; exit 1; }
	go vet ./...
	go run honnef.co/go/tools/cmd/staticcheck@v0.8.2 ./...
	cd web && npm run --silent check
	for m in yang/*.yang; do yanglint -p yang -p /usr/share/yuma/modules/ietf $$m || exit 1; done

bench: bin/everypost ## measure what docs/measurements.md tells
	go test -run '^$$' -bench . -benchtime 100x ./test ./internal/wire/... ./internal/core/...
	go test -run '^$$' -bench . -benchtime 5x ./internal/service/history

screenshots: bin/everypost ## take the pictures in docs/screenshots anew
	go run ./tools/screenshots

generate: ## generate the description of the interface, the console's types and the reference of commands anew
	go run ./tools/timezones
	go run ./tools/openapi > web/openapi.json
	cd web && npm run --silent types
	go run ./tools/reference

clean: ## remove what was built
	rm -rf bin internal/console/dist/assets internal/console/dist/*.html internal/console/dist/*.svg web/node_modules
