# Every target installs what it needs. `make demo` and `make test` are all that a fresh machine wants.
SHELL := /bin/bash
.SHELLFLAGS := -euo pipefail -c
.DEFAULT_GOAL := build
CONFIG := Release
CONSOLE := src/console

.PHONY: build packages demo test soak bench format check clean tools system-tools api docs

build: bin/furlough bin/furlough-agent $(CONSOLE)/dist/index.html

SOURCES := $(shell find src tests bench -name '*.cs' -o -name '*.csproj' -o -name '*.yaml' | grep -v node_modules) Directory.Build.props Directory.Packages.props

artifacts/built: $(SOURCES)
	@scripts/require dotnet node
	dotnet build Furlough.slnx -c $(CONFIG) --nologo -v quiet -clp:NoSummary
	@touch $@

# Compiled ahead of time, so that no start pays for compiling: both programs, in one folder.
artifacts/published/furlough: artifacts/built
	dotnet publish src/Furlough.Cli -c $(CONFIG) --use-current-runtime --no-self-contained -p:PublishReadyToRun=true -o artifacts/published --nologo -v quiet -clp:NoSummary
	@touch $@

bin/furlough bin/furlough-agent: artifacts/published/furlough packaging/furlough/start packaging/furlough-agent/start
	@mkdir -p bin
	@for program in furlough furlough-agent; do sed 's|@FOLDER@|$$(dirname "$$(readlink -f "$$0")")/../artifacts/published|' "packaging/$$program/start" > "bin/$$program"; done
	@chmod +x bin/furlough bin/furlough-agent
	@touch bin/furlough bin/furlough-agent

# The agent for Windows, with what it needs to run, and the tests' own Windows program beside it.
artifacts/windows/built: artifacts/built
	dotnet publish src/Furlough.Agent -c $(CONFIG) -r win-x64 --self-contained -p:PublishReadyToRun=true -o artifacts/windows --nologo -v quiet -clp:NoSummary
	dotnet publish tests/Furlough.WindowsProbe -c $(CONFIG) -r win-x64 --self-contained -o artifacts/windows --nologo -v quiet -clp:NoSummary
	@touch $@

# Debian packages, the Windows installer and archives, in artifacts/packages.
packages: build
	@scripts/install-system-tools packages
	scripts/make-packages

# Those that the tests install.
artifacts/packages-tested: bin/furlough $(CONSOLE)/dist/index.html $(wildcard packaging/* packaging/*/*) scripts/make-packages
	@scripts/install-system-tools packages
	scripts/make-packages amd64 windows
	FURLOUGH_VERSION=0.1.1 scripts/make-packages windows
	@touch $@

$(CONSOLE)/node_modules/.ready: $(CONSOLE)/package-lock.json
	@scripts/require node
	cd $(CONSOLE) && npm ci --no-fund --no-audit --loglevel=error
	@touch $@

$(CONSOLE)/dist/index.html: $(CONSOLE)/node_modules/.ready $(shell find $(CONSOLE)/src -type f) $(CONSOLE)/index.html
	cd $(CONSOLE) && npm run --silent build

# What the tests use of the system: Chromium, file system tools.
system-tools:
	@scripts/install-system-tools

demo: build
	bin/furlough demo start --fresh

test: build artifacts/windows/built system-tools
	scripts/test

soak: build artifacts/windows/built artifacts/packages-tested system-tools
	FURLOUGH_SEEDS=10000 scripts/test soak

bench: build system-tools
	bench/run
	bench/forecast
	bench/pages
	artifacts/bin/Furlough.Planning.Bench/release/Furlough.Planning.Bench
	artifacts/bin/Furlough.Service.Bench/release/Furlough.Service.Bench
	artifacts/bin/Furlough.Fleet.Bench/release/Furlough.Fleet.Bench

format: $(CONSOLE)/node_modules/.ready
	dotnet tool restore >/dev/null
	dotnet format style Furlough.slnx
	dotnet csharpier format .
	cd $(CONSOLE) && npm run --silent format

check: artifacts/packages-tested
	@scripts/install-system-tools packages
	dotnet tool restore >/dev/null
	dotnet csharpier check .
	dotnet format style Furlough.slnx --verify-no-changes
	cd $(CONSOLE) && npm run --silent check
	/var/cache/furlough-tests/promtool check rules docs/operations/alerts.yaml
	/var/cache/furlough-tests/promtool test rules docs/operations/alerts.tests.yaml
	artifacts/bin/Furlough.EndToEnd.Tests/$(shell echo $(CONFIG) | tr A-Z a-z)/Furlough.EndToEnd.Tests -noLogo -noColor -class '*.PackageContentTests'

# The description of the API and the console's types, from the service itself.
api: bin/furlough $(CONSOLE)/node_modules/.ready
	scripts/write-api

# What is made from the code itself: docs/commands.md, docs/hazards.md.
docs: build
	bin/furlough manual reference > docs/commands.md
	FURLOUGH_WRITE_DOCS=1 dotnet test tests/Furlough.Planning.Tests -c $(CONFIG) --no-build --nologo -v quiet --filter "FullyQualifiedName~documentation"

clean:
	rm -rf artifacts bin $(CONSOLE)/dist $(CONSOLE)/node_modules demo-data
