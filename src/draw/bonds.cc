// SPDX-License-Identifier: Apache-2.0
#include "draw/bonds.h"

#include <algorithm>
#include <array>
#include <map>

#include "draw/camera.h"
#include "draw/joints.h"

namespace drubble::draw {

namespace {

constexpr double kRodShare = 0.0016;  // of the action
constexpr double kWeak = 0.5;         // of the median strength: a bond that bears less is weak
constexpr std::array<Rgb, 3> kColours = {kHoldsColour, kWeakColour, kBrokenColour};
constexpr std::array<const char*, 3> kNames = {"bonds that hold", "weak bonds", "broken bonds"};

double medianStrength(const std::vector<files::CachedBond>& bonds) {
  std::vector<double> all;
  for (const files::CachedBond& b : bonds) all.push_back(b.strength.tension);
  const auto middle = all.begin() + static_cast<std::ptrdiff_t>(all.size() / 2);
  std::nth_element(all.begin(), middle, all.end());
  return *middle;
}

}  // namespace

void addBonds(Stage& stage, const std::vector<files::CachedBond>& bonds, const std::vector<char>& broken,
              const Moment& start) {
  stage.bonds = true;
  const double radius = kRodShare * extentOf(stage, start), weak = kWeak * medianStrength(bonds);
  for (StagePiece& p : stage.pieces)
    if (!stage.meshes[p.mesh].ground && !stage.meshes[p.mesh].line) p.opacity = 0.2;
  std::map<std::pair<std::uint32_t, std::size_t>, mesh::TriangleMesh> rods;  // by pose and class
  for (std::size_t k = 0; k < bonds.size(); ++k) {
    const files::CachedBond& b = bonds[k];
    const std::size_t what = broken[k] ? 2 : b.strength.tension < weak ? 1 : 0;
    for (const std::uint32_t piece : {b.a, b.b}) {
      const StagePiece& p = stage.pieces[piece];
      if (!p.dynamic) continue;
      addRod(rods[{p.pose, what}], Vec3::Zero(), start.poses[p.pose].toBody(b.place), radius);
    }
  }
  for (auto& [key, rod] : rods) {
    stage.pieces.push_back({kNames[key.second], u32(stage.meshes.size()), false, 1, key.first});
    stage.meshes.push_back({kNames[key.second], std::move(rod), kColours[key.second]});
  }
}

}  // namespace drubble::draw
