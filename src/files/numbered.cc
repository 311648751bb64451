// SPDX-License-Identifier: Apache-2.0
#include "files/numbered.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <set>

#include "core/base/error.h"
#include "files/meshes.h"

namespace drubble::files {

namespace fs = std::filesystem;

bool isNumbered(const std::string& path) {
  return fs::path(path).filename().string().find('#') != std::string::npos;
}

std::string numberedPath(const std::string& pattern, int number) {
  if (!isNumbered(pattern)) return pattern;
  std::size_t end = pattern.rfind('#') + 1, start = end;
  while (start > 0 && pattern[start - 1] == '#') --start;
  return pattern.substr(0, start) + fmt::format("{:0{}}", number, end - start) + pattern.substr(end);
}

std::vector<NumberedFile> numberedFiles(const std::string& pattern) {
  const Where where{pattern, 0, 0, ""};
  const std::string name = fs::path(pattern).filename().string();
  const std::size_t start = name.find('#'), end = name.find_first_not_of('#', start);
  const std::string before = name.substr(0, start), after = end == std::string::npos ? "" : name.substr(end);
  const std::size_t digits = (end == std::string::npos ? name.size() : end) - start;
  std::vector<NumberedFile> out;
  std::error_code ignored;
  fs::path folder = fs::path(pattern).parent_path();
  if (folder.empty()) folder = ".";
  for (const fs::directory_entry& e : fs::directory_iterator(folder, ignored)) {
    const std::string f = e.path().filename().string();
    if (f.size() < before.size() + digits + after.size() || f.size() > before.size() + 9 + after.size() ||
        !f.starts_with(before) || !f.ends_with(after))
      continue;
    const std::string number = f.substr(before.size(), f.size() - before.size() - after.size());
    if (number.find_first_not_of("0123456789") != std::string::npos) continue;
    if (number.size() > digits && number[0] == '0') continue;
    out.push_back({std::stoi(number), e.path().string()});
  }
  if (out.empty())
    throw Error(ErrorKind::Input,
                fmt::format("no numbered file fits this name: each # stands for a digit, so there should be "
                            "one like '{}{:0{}}{}'",
                            before, 1, digits, after),
                where);
  std::sort(out.begin(), out.end(),
            [](const NumberedFile& a, const NumberedFile& b) { return a.number < b.number; });
  for (std::size_t i = 1; i < out.size(); ++i)
    if (out[i].number != out[i - 1].number + 1)
      throw Error(ErrorKind::Input,
                  fmt::format("number {} of the sequence is missing: there are {} and {}; export it again",
                              out[i - 1].number + 1, out[i - 1].number, out[i].number),
                  where);
  return out;
}

namespace {

// Whether two lists of triangles are of the same polygons: four-cornered and larger ones may be cut otherwise
// in each frame, since they are cut along what is shorter there.
bool samePolygons(const std::vector<mesh::Triangle>& a, const std::vector<mesh::Triangle>& b) {
  constexpr std::size_t kMostCuts = 64;
  if (a.size() != b.size()) return false;
  const auto corners = [](const std::vector<mesh::Triangle>& m, std::size_t first, std::size_t count) {
    std::set<std::uint32_t> out;
    for (std::size_t i = first; i < first + count; ++i) out.insert(m[i].begin(), m[i].end());
    return out;
  };
  for (std::size_t i = 0; i < a.size();) {
    std::size_t run = 1;
    while (corners(a, i, run) != corners(b, i, run))
      if (++run > kMostCuts || i + run > a.size()) return false;
    i += run;
  }
  return true;
}

}  // namespace

MeshSequence readMeshSequence(const std::string& pattern) {
  const std::vector<NumberedFile> all = numberedFiles(pattern);
  MeshSequence out;
  out.first = all.front().number;
  const mesh::TriangleMesh raw = readMesh(all.front().path);
  std::vector<std::uint32_t> kept;
  out.mesh = mesh::welded(raw, &kept);
  for (const NumberedFile& f : all) {
    const mesh::TriangleMesh m = &f == &all.front() ? raw : readMesh(f.path);
    if (m.vertices.size() != raw.vertices.size() || !samePolygons(m.triangles, raw.triangles))
      throw Error(
          ErrorKind::Input,
          fmt::format("its {} vertices and {} triangles are not those of the first of the sequence "
                      "({} and {}): all must have the same ones in the same order",
                      m.vertices.size(), m.triangles.size(), raw.vertices.size(), raw.triangles.size()),
          Where{f.path, 0, 0, ""});
    std::vector<Vec3>& now = out.places.emplace_back();
    for (const std::uint32_t v : kept) now.push_back(m.vertices[v]);
  }
  return out;
}

}  // namespace drubble::files
