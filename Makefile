# Harvik. On a Debian machine with Go and Node, `make demo` and `make test` do everything.
SHELL := /bin/bash
GO_TAGS := -tags nomsgpack -trimpath
export CGO_ENABLED ?= 0

.PHONY: compiled mutate demo test build tools debian console check format vet types bench bench-manuals bench-compare manuals fuzz race lint attack precision measure soak fleet million docs pictures clean generate generated

# Shows Harvik at work on Fernhollow until Ctrl-C; ONCE=1 ends after printing, EDITION=summer
# shows the other edition, BEARS=2 a host that bears two requests at once.
demo: debian build
	@go build $(GO_TAGS) -o bin/play ./demo/play
	@exec bin/play -harvik bin/harvik -edition $(or $(EDITION),spring) $(if $(DATA),-data $(DATA)) $(if $(BEARS),-bears $(BEARS)) $(if $(ONCE),-once)

build: tools console
	go build $(GO_TAGS) -o bin/harvik ./cmd/harvik

# Go and Node are asked of the machine and never installed over.
tools:
	@scripts/tools

# Installs PostgreSQL and a headless Chromium from Debian where they are missing.
debian:
	@scripts/debian

# What comes from elsewhere is compiled on a new machine while npm and Debian fetch.
compiled: tools
	go build $(GO_TAGS) $$(go list -e -deps -test $(GO_TAGS) -f '{{with .Module}}{{if not .Main}}{{$$.ImportPath}}{{end}}{{end}}' ./... | grep -v ' ')

console: console/dist/index.html
console/dist/index.html: $(shell find console/src -type f 2>/dev/null) console/index.html console/package-lock.json console/vite.config.ts
	rm -rf console/dist/assets
	cd console && npm ci --no-fund --no-audit && npm run --silent build

# Everything that has to hold: format, vet, types, all tests. The linter, which reads all that is used, too, is check's.
test:
	@$(MAKE) --no-print-directory -j 4 debian compiled build format vet types generated
	go test $(GO_TAGS) -vet off -ldflags '-s -w' -timeout 14m -parallel 6 ./internal/e2e ./internal/crawl ./... # vetted before; what takes longest, and mostly waits, first

check: format vet types generated lint

# What vet does not know: what is not used, what the library advises against, what can never be.
lint: tools console
	go build -C scripts/lint -o $(abspath bin/staticcheck) honnef.co/go/tools/cmd/staticcheck
	bin/staticcheck -tags nomsgpack ./...

# Changes the code of rooms, one thing at a time, and tells which changes no test notices: ROOMS="core/drift core/booking+crawl"
# tries those of booking on the tests of crawl, too. What makes no difference stands in scripts/mutate/equivalent.txt, with why.
ROOMS ?= $(patsubst internal/%/,%,$(sort $(dir $(wildcard internal/core/*/*_test.go)))) compare decide gear house jobs judging look pace preview recheck worklist
mutate: tools
	go run -C scripts/mutate . -root $(CURDIR) $(ROOMS)

# Everything but the browser with the race detector, which needs a C compiler.
race: debian console
	CGO_ENABLED=1 go test -race $(GO_TAGS) -vet off -timeout 30m -skip 'Console|LookPage|PlanEditor|Looks|Browser|Worklist' ./...

format:
	@test -z "$$(gofmt -l cmd internal demo console/*.go)" || { gofmt -l cmd internal demo console/*.go; echo "run gofmt -w on these"; exit 1; }

vet: tools console
	go vet $(GO_TAGS) ./...

# What is generated from internal/api/openapi.yaml belongs to it as it stands.
generated:
	@sha256sum --quiet --check internal/api/generated.sum || { echo "run make generate"; exit 1; }

# Makes the types and calls of the API anew, for Go and for the console.
generate: tools
	cd internal/api/codegen && go tool oapi-codegen -config config.yaml ../openapi.yaml
	cd console && npx openapi-typescript ../internal/api/openapi.yaml -o src/api/schema.ts
	sha256sum internal/api/openapi.yaml internal/api/codegen/config.yaml internal/api/codegen/responses.tmpl internal/api/api.gen.go console/src/api/schema.ts > internal/api/generated.sum

types: tools console
	cd console && npm run --silent check

# Speed, as ratios within one run, of all benchmarks or of those that BENCH names.
bench: debian manuals console
	GOGC=200 go test $(GO_TAGS) -run '^$$' -bench '$(or $(BENCH),.)' -benchtime $(or $(BENCHTIME),3x) -timeout 60m ./internal/e2e ./internal/render ./internal/store ./internal/watching ./internal/core/...

# Crawls of real sites, beside the floor; docs/bench.md keeps the result.
bench-manuals: debian manuals console
	scripts/bench

# The same, of BASE and of what is here, side by side.
bench-compare: debian manuals console
	scripts/bench-compare $(or $(BASE),HEAD~1)

# Debian's manuals that are crawled.
manuals:
	@scripts/debian rust-doc git-doc python3-doc postgresql-doc apache2-doc

# Each fuzzer in turn; FUZZTIME=10m by default.
fuzz:
	@for target in core/weburl:FuzzParse core/robots:FuzzDecide core/sitemap:FuzzParse core/dom:FuzzParse core/css:FuzzSheet core/css:FuzzUnpack core/page:FuzzRead core/structured:FuzzJSON \
			core/structured:FuzzElements core/figures:FuzzRead core/plan:FuzzRead core/scope:FuzzPattern pdf:FuzzRead store:FuzzCursor store:FuzzFacts; do \
		go test -run '^$$' -fuzz "$${target#*:}" -fuzztime $(or $(FUZZTIME),10m) -fuzzminimizetime 1s ./internal/$${target%%:*} || exit 1; \
	done

# A crawl of 100,000 generated pages by a real service, its memory watched.
# And a hundred spread crawls, whose range has to cover the health of the whole site.
soak: debian build
	HARVIK_SOAK=1 HARVIK_TRIALS=100 go test $(GO_TAGS) -count 1 -v -run 'TestSoak|TestSpread$$|TestFrontierMemory' -timeout 30m ./internal/e2e ./internal/crawl

# Everything that strangers, clients and slips can do, tried on a service that may have a gibibyte: each case
# is a test by name. Under ten minutes.
attack: debian build
	HARVIK_ATTACK=1 HARVIK_HOSTILE_MB=20 go test $(GO_TAGS) -count 1 -v -timeout 20m $(ATTACKS)
	@echo "Nothing gave way."

ATTACKS = -run 'Killed|Heavy|Stalled|TwoServices|Crash|Private|StaysHome|Terminal|Phases|Abroad|Doors|SameImport|AtOnce|Credentials|Names|TwoPorts|Tickets|Slips|Secrets|Hostile|Rebinding|Guard|Allowance|Bound|FormElsewhere|Proxy|Waiver|Disk|Recover|Panics|Full|NotOurs|CutShort|Vault|Forged|Screen|Taker|Maker|Copy|TestRead$$|Child|Small|Signing|Rights|Tries|TrailStays|TestTLS|BehindProxy|ACME|TestProvider$$|PasskeyAttacks|Often|Mentions' \
	./internal/e2e ./internal/fetch ./internal/gear ./internal/house ./internal/jobs ./internal/recheck ./internal/cluster ./internal/vault ./internal/store ./internal/service ./internal/cli ./internal/spool ./internal/pdf ./internal/crawl ./internal/core/page ./internal/core/plan ./internal/core/figures

# Twenty sites crawled by a service and four workers, which are killed and stopped again and again, as is the database.
# And what a queue costs, what two workers give, and what follows for two hundred.
fleet: debian build
	HARVIK_FLEET=1 go test $(GO_TAGS) -vet off -count 1 -v -timeout 60m -run 'TestDisturbed|TestFleetCosts|TestFleetWaiting' ./internal/e2e
	go run ./scripts/scale

# Fix lists of the manuals on this machine, and findings drawn from them beside their source, to be read by a person.
# MANUALS names other folders or addresses, with commas between; SEED another draw; OUT the folder to write to.
precision:
	HARVIK_PRECISION=$(abspath $(or $(OUT),bin/precision)) HARVIK_MANUALS=$(or $(MANUALS),all) HARVIK_SEED=$(or $(SEED),1) \
		go test $(GO_TAGS) -count 1 -run 'TestPrecision$$' -timeout 30m ./internal/crawl
	@cat $(or $(OUT),bin/precision)/sites.txt

# A crawl of a million tiny pages, its time a page compared with that of ten thousand.
million: debian build
	HARVIK_LARGE=1 go test $(GO_TAGS) -count 1 -v -run TestLarge -timeout 10m ./internal/core/graph
	HARVIK_MILLION=1 go test $(GO_TAGS) -count 1 -v -run TestMillion -timeout 80m ./internal/e2e

# Writes the generated documentation anew.
docs:
	go test $(GO_TAGS) ./internal/core/checks ./internal/core/plan ./internal/core/query -run TestDocs -write-docs

# Holds what a browser measures to what is known of pages made for it, ten times over; on a quiet machine.
measure: debian
	HARVIK_MEASURE=1 go test $(GO_TAGS) -vet off -count 10 -run TestMeasured -v ./internal/render

# Takes the pictures of docs/screenshots anew.
pictures: build
	scripts/pictures

clean:
	rm -rf bin console/node_modules console/dist/assets console/dist/index.html
