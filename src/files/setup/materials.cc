// SPDX-License-Identifier: Apache-2.0
#include "files/setup/setup.h"

namespace drubble::files {

const std::map<std::string, world::Material>& materialPresets() {
  // density kg/m3, friction at rest and sliding against its own kind, bounce against its own kind.
  static const std::map<std::string, world::Material> presets = [] {
    std::map<std::string, world::Material> m;
    const auto add = [&](const char* name, double density, double rest, double slide, double bounce) {
      m[name] = {name, density, rest, slide, bounce, true};
    };
    add("granite", 2700, 0.65, 0.55, 0.35);
    add("sandstone", 2300, 0.70, 0.60, 0.25);
    add("concrete", 2400, 0.70, 0.60, 0.25);
    add("brick", 1900, 0.65, 0.60, 0.20);
    add("glass", 2500, 0.45, 0.40, 0.55);
    add("ceramic", 2300, 0.45, 0.40, 0.45);
    add("oak", 720, 0.50, 0.40, 0.40);
    add("pine", 510, 0.50, 0.40, 0.40);
    add("plywood", 600, 0.45, 0.40, 0.40);
    add("timber", 620, 0.50, 0.40, 0.40);
    add("wicker", 450, 0.60, 0.50, 0.25);
    add("cast_iron", 7200, 0.45, 0.35, 0.45);
    add("steel", 7850, 0.55, 0.42, 0.55);
    add("aluminium", 2700, 0.60, 0.50, 0.45);
    add("rubber", 1200, 0.95, 0.85, 0.75);
    add("hard_plastic", 1050, 0.35, 0.30, 0.50);
    add("ice", 917, 0.08, 0.04, 0.30);
    add("cork", 200, 0.60, 0.50, 0.55);
    add("leather", 860, 0.60, 0.50, 0.30);
    return m;
  }();
  return presets;
}

}  // namespace drubble::files
