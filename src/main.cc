// SPDX-License-Identifier: Apache-2.0
#include <string>
#include <vector>

#include "cli/main.h"

int main(int argc, char** argv) { return drubble::cli::mainWith({argv + 1, argv + argc}); }
