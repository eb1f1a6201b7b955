# make demo   a running service with sample data, and where to look
# make test   every test that belongs to a change
# More: test-cluster, test-nodes, test-arm64, build, image, bench, validate, lint, generate, screenshots, clean

GO     ?= go
TAGS   := nomsgpack
GOFILES := $(shell find client cmd core demo internal wire web/embed.go -name '*.go' -not -name '*_test.go' 2>/dev/null)
WEBFILES := $(shell find web/src web/public web/index.html web/vite.config.ts web/tsconfig.json -type f 2>/dev/null)
DEMOFILES := $(wildcard demo/*.yaml demo/*.csv demo/*/*.yaml)
VERSION := $(shell git describe --tags --always --dirty 2>/dev/null || echo dev)

# What is compiled for one of these does for all of them.
export GOFLAGS := -trimpath

.PHONY: demo test test-cluster test-nodes test-arm64 test-go build image bench validate lint generate notices soak screenshots setup setup-test clean

demo: setup bin/tachyphor
	@exec ./bin/tachyphor demo

# The longest packages begin first, so that others run beside them; memory is spent where it spares time. What
# failed leaves its pictures and folders there. Tests on real nodes are make test-nodes.
test: setup-test bin/tachyphor
	export TMPDIR=$$(./scripts/scratch.sh) GOTMPDIR=$${TMPDIR:-/tmp} GOGC=600 TACHYPHOR_PROGRAM=$(CURDIR)/bin/tachyphor; \
		all=$$($(GO) list -tags $(TAGS) ./...) && \
		$(GO) test -tags $(TAGS) -vet=off -timeout 85m ./test/program ./test/console \
		$$(echo "$$all" | grep -v /test/nodes) && rm -rf "$$TMPDIR"

build: bin/tachyphor

bin/tachyphor: $(GOFILES) $(DEMOFILES) go.mod go.sum web/dist/index.html
	$(GO) build -tags $(TAGS) -ldflags "-s -w -X tachyphor/internal/cli.Version=$(VERSION)" -o $@ ./cmd/tachyphor

# The program as an image: an OCI layout in bin/image, for any tool that brings one to a registry.
image: web/dist/index.html
	CGO_ENABLED=0 $(GO) build -tags $(TAGS) -ldflags "-s -w -X tachyphor/internal/cli.Version=$(VERSION)" -o bin/tachyphor-image ./cmd/tachyphor
	cd tools/image && $(GO) run . -program ../../bin/tachyphor-image -arch $$($(GO) env GOARCH) -version "$(VERSION)" -with ../.. -into ../../bin/image
	rm bin/tachyphor-image

# The console, bundled; the placeholder stays so that Go compiles without it.
web/dist/index.html: $(WEBFILES) web/node_modules/.installed
	find web/dist -mindepth 1 ! -name placeholder.txt -delete
	cd web && npx tsc --noEmit && npx vite build --logLevel warn
	@touch $@

web/node_modules/.installed: web/package.json web/package-lock.json
	cd web && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

# Long proofs, with more seeds and larger cases than make test.
validate: setup-test bin/tachyphor
	TACHYPHOR_VALIDATE=1 $(GO) test -tags $(TAGS) -timeout 60m -count 1 -v -run 'Theory|Oracle|Properties|Wild|Racing|SeldomWorse|FactsComeBack|Truths|FloorIsNever' ./core/... ./test/logs ./test/clusters
	TACHYPHOR_VALIDATE=1 $(GO) test -tags $(TAGS) -timeout 20m -count 1 -v -run 'PagesOfMuch|EveryPage' ./test/console
	TACHYPHOR_VALIDATE=1 TACHYPHOR_PROGRAM=$(CURDIR)/bin/tachyphor $(GO) test -tags $(TAGS) -timeout 20m -count 1 -v -run 'TheDemo|Sweep' ./test/program
	$(GO) run -tags $(TAGS) ./test/validate > docs/validation.md

# The tests of live clusters on a real control plane; RECORD=1 writes what it answers
# to test/live/testdata, which make test holds the stand-in against.
test-cluster: setup-test
	./scripts/cluster.sh .cache/cluster
	TACHYPHOR_CLUSTER=$(CURDIR)/.cache/cluster $(GO) test -tags $(TAGS) -timeout 20m -count 1 -v ./test/live $(if $(RECORD),-record)

# Real nodes on this machine (kubelet, containerd, runc), as root; what cannot be is skipped with the
# reason. RECORD=1 writes what they do to internal/kube/testdata/real, which make test goes by.
test-nodes: setup-test
	./scripts/nodes.sh .cache/cluster
	TACHYPHOR_NODES=$(CURDIR)/.cache/cluster $(GO) test -tags $(TAGS) -timeout 30m -count 1 -v ./test/nodes $(if $(RECORD),-record)

# The pinned runs, outcomes and mathematics on another kind of machine, emulated.
test-arm64:
	@./scripts/setup.sh arm64
	@for p in portable chance sim outcome; do \
		GOARCH=arm64 CGO_ENABLED=0 $(GO) test -c -tags $(TAGS) -o .cache/arm64-$$p.test ./core/$$p && \
		(cd core/$$p && qemu-aarch64-static $(CURDIR)/.cache/arm64-$$p.test -test.run 'Pinned' -test.v) || exit 1; \
	done

bench: bin/tachyphor
	$(GO) run -tags $(TAGS) ./test/bench

lint: web/node_modules/.installed
	@out=$$($(GO) tool -modfile=tools/go.mod gofumpt -l client cmd core demo internal test tools wire web/*.go); \
		[ -z "$$out" ] || { echo "not formatted: $$out"; exit 1; }
	$(GO) vet -tags $(TAGS) ./...
	cd tools/image && $(GO) vet ./...
	cd tools/notices && $(GO) vet ./... && $(GO) run . -root ../.. -check
	$(GO) tool -modfile=tools/go.mod staticcheck -tags $(TAGS) ./...
	cd web && npx tsc --noEmit && npx biome ci --colors=off .

# The interface's description and the console's types, from the code.
generate: web/node_modules/.installed
	$(GO) run -tags $(TAGS) ./cmd/tachyphor schema openapi > docs/openapi.json
	cd web && npx openapi-typescript ../docs/openapi.json -o src/api/schema.gen.ts

# Whose work this is built on, and under which licences.
notices: web/node_modules/.installed
	cd tools/notices && $(GO) run . -root ../..

# Breaks a service a thousand times while clients work with it, then reads beside long work for ten minutes; an
# hour is LOAD=1h. The tables go into docs/.
CRASHES ?= 1000
LOAD ?= 10m
soak: setup-test bin/tachyphor
	TACHYPHOR_PROGRAM=$(CURDIR)/bin/tachyphor TACHYPHOR_SOAK=$(CRASHES) TACHYPHOR_SOAK_TABLE=$(CURDIR)/docs/soak-crashes.md \
		TACHYPHOR_LOAD=$(LOAD) TACHYPHOR_LOAD_TABLE=$(CURDIR)/docs/soak-load.md \
		$(GO) test -tags $(TAGS) -timeout 6h -count 1 -v ./test/soak

# Pictures of the demo for the documentation; the demo must be running.
screenshots:
	$(GO) run ./test/pictures -dir docs/screenshots

setup:
	@./scripts/setup.sh run

setup-test:
	@./scripts/setup.sh test

clean:
	rm -rf bin web/node_modules
	find web/dist -mindepth 1 ! -name placeholder.txt -delete
