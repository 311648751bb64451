// SPDX-License-Identifier: Apache-2.0
#include "core/world/bonding.h"

#include <algorithm>

namespace drubble::world {

bond::Bond bondOf(const Scene& s, PieceId a, PieceId b, bond::Face face, std::uint32_t table) {
  bond::Bond out;
  out.a = a;
  out.b = b;
  if (b < a) {
    std::swap(out.a, out.b);
    face.normal = -face.normal;
    std::reverse(face.corners.begin(), face.corners.end());
  }
  out.face = std::move(face);
  out.table = table;
  const Material &x = s.materialOf(a.index()), &y = s.materialOf(b.index());
  const bool only_x = !y.given, only_y = !x.given && y.given;
  const auto weaker = [&](double p, double q) { return only_x ? p : only_y ? q : least(p, q); };
  out.strength = {weaker(x.strength.tension, y.strength.tension),
                  weaker(x.strength.compression, y.strength.compression),
                  weaker(x.strength.shear, y.strength.shear)};
  out.stiffness = weaker(x.stiffness, y.stiffness);
  return out;
}

}  // namespace drubble::world
