# make demo    install what is needed, build, and start with the demo shots
# make test    install what is needed and run the checks and tests that CI runs
# make lint    the checks alone
# make soak    an hour of kills, full disks and hostile files; MINUTES=10 for less
# make bench   print the speed tables;  make verify  the accuracy tables and the slow tests
# make profile cmd/zarf/default.pgo, by which the compiler puts in line what is hot

BIN := bin/zarf
TOOLS := chromium libopenvdb-tools python3-openvdb openexr assimp-utils

.PHONY: generate profile lint vendor demo build test bench verify soak tools screenshots clean

build:
	go build -o $(BIN) ./cmd/zarf

demo: build
	$(BIN) demo

# What the tests use besides Go; nothing is installed that is there already.
tools:
	@missing=; for p in $(TOOLS); do dpkg -s $$p >/dev/null 2>&1 || missing="$$missing $$p"; done; \
	if [ -n "$$missing" ]; then \
	  if [ "$$(id -u)" = 0 ]; then sudo=; else sudo=sudo; fi; \
	  $$sudo apt-get update -qq && DEBIAN_FRONTEND=noninteractive $$sudo apt-get install -y -qq --no-install-recommends $$missing >/dev/null; \
	fi

# Tests are built without the profile: with it all packages would be compiled twice.
test: tools lint
	go test -pgo=off -timeout 12m ./...

# What needs no run: formatting, vet, the browser's scripts, and that copies and
# generated files are what their sources make.
lint: web/_front/node_modules
	@odd=$$(gofmt -l cmd core demo internal measure studio web); if [ -n "$$odd" ]; then echo "not formatted: $$odd"; exit 1; fi
	go vet -pgo=off ./...
	cd web && _front/node_modules/.bin/eslint --config _front/eslint.config.js static/js
	cd web/_front && node_modules/.bin/tsc -p tsconfig.json
	node web/_front/vendor.js --check
	cd core/vec/_asm && go run . -check

web/_front/node_modules: web/_front/package-lock.json
	cd web/_front && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

# The scripts, styles and fonts that are shipped, copied anew from their packages.
vendor: web/_front/node_modules
	node web/_front/vendor.js

bench: build
	$(BIN) bench

# Where the time goes, by which the compiler chooses what to put in line: to be made anew
# when what is hot has changed. Builds take it from there by themselves; what it is made
# from is built without, so that it doesn't depend on the one before.
profile:
	go build -pgo=off -o /tmp/zarf-plain ./cmd/zarf
	for s in render draft liquid "gas step" particles geometry; do /tmp/zarf-plain bench --section "$$s" --profile /tmp/zarf-$$(echo $$s | tr -d ' ').prof || exit 1; done
	go tool pprof -proto /tmp/zarf-*.prof > cmd/zarf/default.pgo

verify: build
	$(BIN) verify
	ZARF_SLOW=1 go test -pgo=off -timeout 60m ./...
	go test -run '^$$' -fuzz FuzzDecode -fuzztime 60s -fuzzminimizetime 20x ./core/format/vdb
	go test -run '^$$' -fuzz FuzzDecode -fuzztime 60s -fuzzminimizetime 20x ./core/format/exr
	go test -run '^$$' -fuzz FuzzDecode -fuzztime 60s -fuzzminimizetime 20x ./core/format/abc
	go test -run '^$$' -fuzz FuzzRead -fuzztime 60s -fuzzminimizetime 20x ./core/format/hdr
	for f in GLTF OBJ PLY STL SVG Terrain; do go test -run '^$$' -fuzz Fuzz$$f -fuzztime 60s -fuzzminimizetime 20x ./core/bring || exit 1; done
	go test -run '^$$' -fuzz FuzzShotFile -fuzztime 60s -fuzzminimizetime 20x ./core/shot

# The disk that is filled is a tmpfs, for which it must be root.
MINUTES ?= 60
soak: build
	go run ./internal/soak -minutes $(MINUTES) $$([ "$$(id -u)" = 0 ] && echo -disk 600)

# docs/screenshots, made anew from the demo data.
screenshots: tools build
	go run ./internal/shoot/pictures
	go run ./internal/shoot/finals /tmp/zarf-finals/data /tmp/zarf-finals docs/screenshots/finals.png

clean:
	rm -rf bin

# The assembly of core/vec, made anew from its generator.
generate:
	cd core/vec/_asm && go run .
