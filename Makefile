# Nimbus Reach. `make demo` and `make test` do all their own set-up.

GO ?= go
CONSOLE := console
DIST := internal/service/web/dist
CONSOLE_SOURCES := $(shell find $(CONSOLE)/src $(CONSOLE)/public -type f -not -name openapi.ts) $(CONSOLE)/index.html \
	$(CONSOLE)/vite.config.ts $(CONSOLE)/package-lock.json docs/openapi.json
ENGINE := $(CONSOLE)/engine
ENGINE_SOURCES := $(shell find cmd/engine internal/core -name '*.go' -not -name '*_test.go') go.mod go.sum
GO_SOURCES := $(shell find cmd internal client demo -type f -not -path '$(DIST)/*') go.mod go.sum
GOLANGCI := $(GO) run github.com/golangci/golangci-lint/v2/cmd/golangci-lint@v2.15.0

.PHONY: demo demo-fresh build test soak bench lint documents dev database browser netcdf fuzz clean

demo: database build
	@bin/nimbus demo

demo-fresh: database build
	@bin/nimbus demo --fresh

build: bin/nimbus

bin/nimbus: $(GO_SOURCES) $(DIST)/index.html
	$(GO) build -trimpath -o $@ ./cmd/nimbus

# The marker is npm's own: it is newer than the lock file when all is installed.
# Versions come from the lock file; `npm ci` would refuse it where the registry does
# not carry optional packages for other platforms.
$(CONSOLE)/node_modules/.package-lock.json: $(CONSOLE)/package-lock.json
	cd $(CONSOLE) && npm install --no-save --no-fund --no-audit --loglevel=error
	@touch $@

# The core for the page, and what Go's toolchain gives to run it there.
$(ENGINE)/engine.wasm: $(ENGINE_SOURCES)
	@mkdir -p $(ENGINE)
	GOOS=js GOARCH=wasm $(GO) build -trimpath -ldflags='-s -w' -o $@ ./cmd/engine
	cp "$$($(GO) env GOROOT)/lib/wasm/wasm_exec.js" $(ENGINE)/

$(DIST)/index.html: $(CONSOLE)/node_modules/.package-lock.json $(CONSOLE_SOURCES) $(ENGINE)/engine.wasm
	cd $(CONSOLE) && npm run --silent build

database:
	@command -v mariadbd >/dev/null || test -x /usr/sbin/mariadbd || scripts/install-packages mariadb-server

browser:
	@test -x /usr/bin/chromium || scripts/install-packages chromium

# What tests compare the files of arrays with.
netcdf:
	@command -v ncgen >/dev/null || scripts/install-packages netcdf-bin

test: database browser netcdf build
	scripts/test

# Three nodes, three services, three workers, sixty clients, and something goes wrong every 20 s.
SOAK ?= 20m
SOAK_LONGEST ?= 30s
soak: database build
	$(GO) run ./scripts/soak -for $(SOAK) -longest $(SOAK_LONGEST)

bench: database build
	$(GO) run ./scripts/bench

lint: $(CONSOLE)/node_modules/.package-lock.json
	$(GOLANGCI) run ./...
	GOOS=js GOARCH=wasm $(GO) vet ./cmd/engine
	cd $(CONSOLE) && npm run --silent lint
	scripts/audit

# The document of the API that the console's types are made from, and the pages made of tables.
documents:
	$(GO) run ./scripts/openapi > docs/openapi.json
	$(GO) run ./scripts/reference > docs/reference.md
	$(GO) run ./scripts/keys

# The console with Vite before it, and the demo's API behind.
dev: database build
	scripts/dev

fuzz:
	scripts/fuzz

clean:
	rm -rf bin .nimbus $(CONSOLE)/node_modules $(ENGINE)
	find $(DIST) -mindepth 1 -not -name .keep -delete
