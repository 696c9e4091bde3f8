.PHONY: demo test check shots method build static assets client

demo:
	go run ./cmd/omphalos demo

# The demo for who works on pages: templates, styles and scripts show when a page is loaded again.
.PHONY: dev
dev: assets/node_modules
	@(cd assets && exec npx @tailwindcss/cli -i app.css -o ../app/page/static/dist/app.css --minify --watch=always) & a=$$!; \
	(cd assets && exec npx @tailwindcss/cli -i respond.css -o ../app/page/static/dist/respond.css --minify --watch=always) & b=$$!; \
	trap "kill $$a $$b 2>/dev/null" EXIT; go run ./cmd/omphalos demo --reload .

build:
	go build -o bin/omphalos ./cmd/omphalos

# The program with all that it needs in one file, for an image that holds nothing else (docs/run/Containerfile).
static:
	CGO_ENABLED=1 go build -trimpath -tags "netgo osusergo sqlite_omit_load_extension" \
		-ldflags "-s -w -linkmode external -extldflags -static" -o bin/omphalos-static ./cmd/omphalos
	cp /etc/ssl/certs/ca-certificates.crt docs/run/ca-certificates.crt

# Styles and scripts are built into app/page/static and kept in the repository: only who changes them needs npm.
assets:
	cd assets && npm install --no-audit --no-fund --ignore-scripts
	cd assets && npx @tailwindcss/cli -i app.css -o ../app/page/static/dist/app.css --minify
	cd assets && npx @tailwindcss/cli -i respond.css -o ../app/page/static/dist/respond.css --minify
	(cat assets/node_modules/idiomorph/dist/idiomorph.min.js; echo; echo "export { Idiomorph };") > app/page/static/vendor/idiomorph.js

# The client of the API's tests is made from its description, which "go test ./app/api -update" writes.
client:
	cd app/api/testdata/client && go run github.com/oapi-codegen/oapi-codegen/v2/cmd/oapi-codegen@v2.8.2 \
		-package main -generate types,client -o client.gen.go ../../../../docs/openapi.json

# What make check needs of npm. Tests need none of it: styles and scripts are kept in the repository as they are served.
assets/node_modules: assets/package-lock.json | npm
	cd assets && npm ci --no-audit --no-fund --ignore-scripts
	@touch assets/node_modules

SCRIPTS = $$(git ls-files 'app/*.js' 'standins/*.js' | grep -v static/vendor | grep -v testdata)

check: assets/node_modules
	@test -z "$$(gofmt -l . | tee /dev/stderr)"
	go vet ./...
	go run honnef.co/go/tools/cmd/staticcheck@v0.8.2 ./...
	assets/node_modules/.bin/eslint app standins
	assets/node_modules/.bin/prettier --check $(SCRIPTS)
	assets/node_modules/.bin/tsc -p .
	@rm -rf assets/node_modules/.pages && mkdir assets/node_modules/.pages
	go test ./app -run TestPages -count=1 -pages $(CURDIR)/assets/node_modules/.pages
	assets/node_modules/.bin/html-validate --config .htmlvalidate.json 'assets/node_modules/.pages/*.html'
	@cd assets && for s in app respond; do \
		npx @tailwindcss/cli -i $$s.css -o node_modules/.built.css --minify 2>/dev/null && \
		cmp node_modules/.built.css ../app/page/static/dist/$$s.css || { echo "$$s.css is not current: run make assets"; exit 1; }; done

# Tests are linked without what debuggers read, in half of the time.
TEST = go test -ldflags=-w -timeout 20m

# Browser tests run by themselves: beside others their pages would wait for the processor.
test: chromium node zbar curl
	go vet ./...
	node --test app/workbench/
	$(TEST) $$(go list ./... | grep -v /e2e)
	scripts/with-postgres.sh $(MAKE) on-postgres
	$(TEST) ./e2e

# prove takes all random quizzes where make test takes a quarter of them.
.PHONY: prove
prove:
	PROVE=1 $(TEST) ./core/...

# What is tested on a PostgreSQL server too: all of the store, servers that share it, one journey through the
# pages, and windows on two servers.
.PHONY: on-postgres
on-postgres:
	$(TEST) ./app/store
	$(TEST) -run 'Servers|Move' ./cmd/omphalos
	$(TEST) -run 'TestFromTheFirstWordToARedirectedLead|TwoServers' ./e2e

# Browser tests need Debian's Chromium; scripts without a page are tested by node's own runner; QR codes are read back by
# Debian's zbarimg.
.PHONY: chromium node npm zbar curl
chromium:
	@command -v chromium >/dev/null || (apt-get update -qq && apt-get install -y -qq chromium >/dev/null)
zbar:
	@command -v zbarimg >/dev/null || (apt-get update -qq && apt-get install -y -qq zbar-tools >/dev/null)
curl:
	@command -v curl >/dev/null || (apt-get update -qq && apt-get install -y -qq curl >/dev/null)
npm: node
	@command -v npm >/dev/null || (apt-get update -qq && apt-get install -y -qq npm >/dev/null)
node:
	@command -v node >/dev/null || (apt-get update -qq && apt-get install -y -qq nodejs >/dev/null)

# method draws the figures of docs/method.md anew.
method:
	go test ./demo/method -run TestThePageIsCurrent -update -count=1 || go test ./demo/method

shots: chromium
	go test ./e2e -run TestShots -shots -count=1

# hurt hurts the program on purpose and writes what came of it into docs/reliability.md. It takes some forty minutes and
# the right to mount a small file system.
.PHONY: hurt strace
strace:
	@command -v strace >/dev/null || (apt-get update -qq && apt-get install -y -qq strace >/dev/null)
hurt: strace
	scripts/with-postgres.sh go run ./hurt -into docs/reliability.md

# fuzz looks for input that breaks a parser, ten minutes each, and keeps what it found.
.PHONY: fuzz
fuzz:
	scripts/fuzz.sh 10m

# measure tells what things cost as they grow, in docs/performance.md.
.PHONY: measure
measure:
	FSYNC=on scripts/with-postgres.sh go run ./measure -into docs/performance.md
