// SPDX-License-Identifier: Apache-2.0
// The parts of USD text that hang on no frame: meshes, materials, names.
#include <algorithm>
#include <set>

#include "files/export/usd_parts.h"

namespace drubble::files {

std::string usdName(const std::string& name) {
  std::string out;
  for (const char c : name) out += (std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_') ? c : '_';
  if (out.empty() || std::isdigit(static_cast<unsigned char>(out[0])) != 0) out = "_" + out;
  return out;
}

std::string usdText(const std::string& text) {
  std::string out = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') out += '\\';
    out += c == '\n' ? ' ' : c;
  }
  return out + "\"";
}

std::string UsdNames::add(const std::string& name) {
  const std::string plain = usdName(name);
  std::string out = plain;
  for (int n = 2; !taken_.insert(out).second; ++n) out = fmt::format("{}_{}", plain, n);
  return out;
}

void usdVectors(FileOut& out, const std::vector<Vec3>& list, int decimals) {
  out.text("[");
  for (std::size_t i = 0; i < list.size(); ++i) {
    out.text(i > 0 ? ", (" : "(");
    for (int k = 0; k < 3; ++k) {
      if (k > 0) out.text(", ");
      out.number(list[i][k], decimals);
    }
    out.text(")");
  }
  out.text("]");
}

void usdMaterials(FileOut& out, const std::vector<Surface>& surfaces, const std::vector<std::string>& names) {
  out.text("    def Scope \"materials\"\n    {\n");
  for (std::size_t k = 0; k < surfaces.size(); ++k) {
    const auto& [r, g, b] = surfaces[k].colour;
    out.print(
        "        def Material \"{0}\"\n        {{\n"
        "            token outputs:surface.connect = </shot/materials/{0}/surface.outputs:surface>\n\n"
        "            def Shader \"surface\"\n            {{\n"
        "                uniform token info:id = \"UsdPreviewSurface\"\n"
        "                color3f inputs:diffuseColor = ({1:.4g}, {2:.4g}, {3:.4g})\n"
        "                float inputs:roughness = 0.8\n"
        "                token outputs:surface\n            }}\n        }}\n",
        names[k], r, g, b);
  }
  out.text("    }\n");
}

namespace {

void faceSubsets(FileOut& out, const ShownMesh& m, const std::vector<std::string>& materials,
                 const std::string& indent) {
  std::vector<std::uint32_t> used = m.look.materials;
  std::sort(used.begin(), used.end());
  used.erase(std::unique(used.begin(), used.end()), used.end());
  if (used.size() == 1) {
    out.print("{}rel material:binding = </shot/materials/{}>\n", indent, materials[used[0]]);
    return;
  }
  for (const std::uint32_t u : used) {
    out.print(
        "\n{0}def GeomSubset \"{1}\" (\n{0}    prepend apiSchemas = [\"MaterialBindingAPI\"]\n{0})\n{0}{{\n",
        indent, materials[u]);
    out.print("{}    uniform token elementType = \"face\"\n", indent);
    out.print("{}    uniform token familyName = \"materialBind\"\n{}    int[] indices = [", indent, indent);
    bool first = true;
    for (std::size_t t = 0; t < m.look.materials.size(); ++t) {
      if (m.look.materials[t] != u) continue;
      out.print("{}{}", first ? "" : ", ", t);
      first = false;
    }
    out.print("]\n{0}    rel material:binding = </shot/materials/{1}>\n{0}}}\n", indent, materials[u]);
  }
}

}  // namespace

void usdMesh(FileOut& out, const ShownMesh& m, const std::string& name,
             const std::vector<std::string>& materials, const std::string& indent,
             const std::function<void(FileOut&, const std::string&)>& points) {
  out.print("{0}def Mesh \"{1}\" (\n{0}    prepend apiSchemas = [\"MaterialBindingAPI\"]\n{0})\n{0}{{\n",
            indent, name);
  const std::string in = indent + "    ";
  Box box;
  for (const Vec3& v : m.mesh.vertices) box.add(v);
  out.print("{}float3[] extent = ", in);
  usdVectors(out, {box.low, box.high}, 6);
  out.print("\n{}uniform token subdivisionScheme = \"none\"\n{}int[] faceVertexCounts = [", in, in);
  for (std::size_t t = 0; t < m.mesh.triangles.size(); ++t) out.text(t > 0 ? ", 3" : "3");
  out.print("]\n{}int[] faceVertexIndices = [", in);
  for (std::size_t t = 0; t < m.mesh.triangles.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k) out.print("{}{}", t + k > 0 ? ", " : "", m.mesh.triangles[t][k]);
  out.text("]\n");
  if (points) {
    points(out, in);
  } else {
    out.print("{}point3f[] points = ", in);
    usdVectors(out, m.mesh.vertices, 7);
    out.text("\n");
  }
  std::vector<Vec3> normals;
  for (const auto& corner : m.look.normals) normals.insert(normals.end(), corner.begin(), corner.end());
  out.print("{}normal3f[] normals = ", in);
  usdVectors(out, normals, 4);
  out.print(" (\n{0}    interpolation = \"faceVarying\"\n{0})\n{0}texCoord2f[] primvars:st = [", in);
  bool first = true;
  for (const auto& corner : m.look.uvs) {
    for (const Vec2& uv : corner) {
      out.text(first ? "(" : ", (");
      out.number(uv.x(), 5);
      out.text(", ");
      out.number(uv.y(), 5);
      out.text(")");
      first = false;
    }
  }
  out.print("] (\n{0}    interpolation = \"faceVarying\"\n{0})\n", in);
  faceSubsets(out, m, materials, in);
  out.print("{}}}\n", indent);
}

}  // namespace drubble::files
