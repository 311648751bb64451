// SPDX-License-Identifier: Apache-2.0
// What USD text is put together from. Sources: the public description of the text format and of the schemas
// for geometry, shading and instancing.
#pragma once
#include <set>

#include "files/export/file_out.h"
#include "files/export/shot.h"

namespace drubble::files {

// Letters, digits and underscores, no digit first.
std::string usdName(const std::string& name);
std::string usdText(const std::string& text);  // quoted

// Names that nobody beside has.
class UsdNames {
 public:
  std::string add(const std::string& name);

 private:
  std::set<std::string> taken_;
};

void usdVectors(FileOut& out, const std::vector<Vec3>& list, int decimals);
void usdMaterials(FileOut& out, const std::vector<Surface>& surfaces, const std::vector<std::string>& names);
// `points`: writes where the vertices are, if not where the mesh has them.
void usdMesh(FileOut& out, const ShownMesh& m, const std::string& name,
             const std::vector<std::string>& materials, const std::string& indent,
             const std::function<void(FileOut&, const std::string&)>& points = {});

}  // namespace drubble::files
