# SPDX-License-Identifier: Apache-2.0
# The front door; CMake does the work.
#
#   make            build/hornbeam
#   make demo       installs what is missing, builds, plays a whole move on private servers (ENGINE=mariadb, or mysql, for one)
#   make test       installs what is missing, builds, runs all tests
#   make lint       format, direction of includes, headers alone, cppcheck
#   make sanitize   the tests under AddressSanitizer and UndefinedBehaviorSanitizer
#   make fuzz       each reader of outside bytes under libFuzzer, from its seeds (SECONDS each)
#   make valgrind   the core's tests under valgrind
#   make kills      three hosts on one restore, killed at random, in ROUNDS rounds on each engine
#   make mutants    changes single operators of MODULES, and names those that no test notices (EACH of a module, 0: all)
#   make bench      ratios to the least that a C program must do (SCALE, RUNS)
#   make package    a Debian package and a tarball in build/release, with sums; installed, used and removed in a clean folder
#   make install    PREFIX and DESTDIR as usual

PREFIX ?= /usr/local
JOBS   ?= $(shell nproc 2>/dev/null || echo 2)
RUNS   ?= 5
SECONDS ?= 30
ENGINE ?= both

.PHONY: all demo test lint sanitize fuzz valgrind mutants kills bench package install clean format

all: build/Makefile
	cmake --build build --parallel $(JOBS)

build/Makefile:
	cmake -S . -B build

demo:
	scripts/prepare.sh build servers
	$(MAKE) all
	demo/run.sh $(ENGINE)

test:
	scripts/prepare.sh build servers versions tests
	cmake -S . -B build -DHORNBEAM_STRICT=ON
	$(MAKE) all
	cd build && ctest -j $(JOBS) --output-on-failure

lint:
	scripts/prepare.sh build tests lint
	scripts/lint.sh

sanitize:
	scripts/prepare.sh build servers versions tests
	cmake -S . -B build-sanitize -DHORNBEAM_STRICT=ON -DHORNBEAM_SANITIZE=ON -DCMAKE_BUILD_TYPE=Debug -DCMAKE_C_FLAGS_DEBUG="-g -O1"
	cmake --build build-sanitize --parallel $(JOBS)
	cd build-sanitize && ASAN_OPTIONS=detect_leaks=1 UBSAN_OPTIONS=print_stacktrace=1 \
	    LSAN_OPTIONS=suppressions=$(CURDIR)/tests/support/leaks.txt:print_suppressions=0 ctest -j $(JOBS) --output-on-failure

fuzz:
	scripts/prepare.sh build servers versions tests fuzz
	$(MAKE) all
	CC=clang cmake -S . -B build-fuzz -DHORNBEAM_FUZZ=ON -DCMAKE_BUILD_TYPE=Debug
	cmake --build build-fuzz --parallel $(JOBS)
	HORNBEAM_SEEDS=build-fuzz/seeds build-fuzz/tests/fuzz_test_outside_bytes
	scripts/seeds.sh build build-fuzz/seeds
	for name in manifest tar stream rows values sql grant uri route pattern statements note origin name answer copy sheet pgoutput binlog logvalue gate dated; do \
	    LSAN_OPTIONS=suppressions=$(CURDIR)/tests/support/leaks.txt:print_suppressions=0 \
	    build-fuzz/tests/fuzz_$$name -max_total_time=$(SECONDS) -timeout=10 -artifact_prefix=build-fuzz/ -print_final_stats=1 build-fuzz/seeds/$$name \
	        >build-fuzz/$$name.log 2>&1 || { tail -40 build-fuzz/$$name.log; exit 1; }; \
	    echo "$$name: $$(grep -o 'number_of_executed_units: .*' build-fuzz/$$name.log)"; done

valgrind: all
	scripts/prepare.sh lint
	for test in build/tests/core_*test_*; do [ ! -f $$test ] || valgrind -q --error-exitcode=9 --leak-check=full --errors-for-leak-kinds=definite $$test || exit 1; done

mutants:
	scripts/prepare.sh build tests
	scripts/mutants.py --each $(or $(EACH),2) $(MODULES)

kills: all
	scripts/prepare.sh servers
	scripts/kills.sh postgresql $(or $(ROUNDS),100)
	scripts/kills.sh mariadb $(or $(ROUNDS),100)

bench: all
	scripts/prepare.sh servers bench
	bench/run.sh postgresql $(or $(SCALE),140) $(RUNS)
	bench/run.sh mariadb $(or $(SCALE),80) $(RUNS)

package:
	scripts/prepare.sh build servers package
	scripts/package.sh
	tests/package.sh

install: all
	cmake --install build --prefix "$(PREFIX)"

format:
	clang-format -i $$(git ls-files -co --exclude-standard '*.c' '*.h')

clean:
	rm -rf build build-sanitize build-fuzz build-mutants
