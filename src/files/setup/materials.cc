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
    // Strengths in MPa when drawn, pressed and sheared, and stiffness in GPa; of wood, some way between along
    // and across the grain.
    const auto bears = [&](const char* name, double tension, double compression, double shear, double stiff) {
      m[name].strength = {1e6 * tension, 1e6 * compression, 1e6 * shear};
      m[name].stiffness = 1e9 * stiff;
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
    add("mortar", 1800, 0.70, 0.60, 0.15);
    bears("granite", 10, 150, 20, 50);
    bears("sandstone", 4, 60, 8, 20);
    bears("concrete", 2.5, 30, 5, 30);
    bears("brick", 2, 15, 4, 10);
    bears("mortar", 0.3, 5, 0.5, 5);
    bears("glass", 40, 500, 60, 70);
    bears("ceramic", 30, 300, 50, 60);
    bears("oak", 12, 45, 10, 11);
    bears("pine", 8, 35, 7, 9);
    bears("plywood", 20, 30, 8, 8);
    bears("timber", 10, 40, 8, 10);
    bears("wicker", 10, 15, 6, 3);
    bears("cast_iron", 200, 700, 250, 110);
    bears("steel", 400, 400, 240, 200);
    bears("aluminium", 250, 250, 150, 70);
    bears("rubber", 15, 30, 10, 0.05);
    bears("hard_plastic", 40, 70, 35, 2.5);
    bears("ice", 1, 5, 1, 9);
    bears("cork", 1, 1.5, 0.8, 0.03);
    bears("leather", 20, 20, 12, 0.2);
    return m;
  }();
  return presets;
}

}  // namespace drubble::files
