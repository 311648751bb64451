// SPDX-License-Identifier: Apache-2.0
// Places from a file.
#pragma once
#include <string>
#include <vector>

#include "core/base/vec.h"

namespace drubble::files {

// From a CSV (commas, semicolons or blanks between columns; columns called x, y and z, or the first three
// where no line names them; # begins a remark) or the vertices of a mesh file, in the file's own units.
// Throws Error(Input) with file and line.
std::vector<Vec3> readPoints(const std::string& path);

// The columns of a line of such a file, without their quotes; none for an empty line or a remark.
std::vector<std::string> columnsOf(const std::string& line);
// Whether all of `word` is a finite number.
bool toNumber(const std::string& word, double& x);

}  // namespace drubble::files
