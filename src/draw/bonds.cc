// SPDX-License-Identifier: Apache-2.0
#include "draw/bonds.h"

#include <algorithm>
#include <array>
#include <map>

#include "core/base/random.h"
#include "core/base/sets.h"
#include "draw/camera.h"
#include "draw/joints.h"

namespace drubble::draw {

namespace {

constexpr double kRodShare = 0.0016;  // of the action
constexpr double kWeak = 0.5;         // of the median strength: a bond that bears less is weak
// Of classes: those that hold and are weak, those that broke, then those that hold by what they bear.
constexpr std::size_t kWeakOnes = 1, kBrokenOnes = 2, kBearing = 3;
constexpr std::array<Rgb, 7> kBondColours = {kHoldsColour,      kWeakColour,       kBrokenColour,
                                             kStressColours[0], kStressColours[1], kStressColours[2],
                                             kStressColours[3]};
constexpr std::array<const char*, 7> kNames = {
    "bonds that hold",    "weak bonds",    "broken bonds",           "bonds that bear little",
    "a quarter and more", "half and more", "three quarters and more"};

std::size_t bearing(float share) {
  const double quarters = greatest(0, 4 * static_cast<double>(share));
  return kBearing + (quarters < 3 ? static_cast<std::size_t>(quarters) : 3);
}

double medianStrength(const std::vector<files::CachedBond>& bonds) {
  std::vector<double> all;
  for (const files::CachedBond& b : bonds) all.push_back(b.strength.tension);
  const auto middle = all.begin() + static_cast<std::ptrdiff_t>(all.size() / 2);
  std::nth_element(all.begin(), middle, all.end());
  return *middle;
}

}  // namespace

void addBonds(Stage& stage, const std::vector<files::CachedBond>& bonds, const std::vector<char>& broken,
              const std::vector<float>& shares, const Moment& start) {
  stage.bonds = true;
  stage.stress = !shares.empty();
  const double radius = kRodShare * extentOf(stage, start), weak = kWeak * medianStrength(bonds);
  for (StagePiece& p : stage.pieces)
    if (!stage.meshes[p.mesh].ground && !stage.meshes[p.mesh].line) p.opacity = 0.2;
  std::map<std::pair<std::uint32_t, std::size_t>, mesh::TriangleMesh> rods;  // by pose and class
  for (std::size_t k = 0; k < bonds.size(); ++k) {
    const files::CachedBond& b = bonds[k];
    const std::size_t what = broken[k]                   ? kBrokenOnes
                             : k < shares.size()         ? bearing(shares[k])
                             : b.strength.tension < weak ? kWeakOnes
                                                         : 0;
    for (const std::uint32_t piece : {b.a, b.b}) {
      const StagePiece& p = stage.pieces[piece];
      if (!p.dynamic) continue;
      addRod(rods[{p.pose, what}], Vec3::Zero(), start.poses[p.pose].toBody(b.place), radius);
    }
  }
  for (auto& [key, rod] : rods) {
    stage.pieces.push_back({kNames[key.second], u32(stage.meshes.size()), false, 1, key.first});
    stage.meshes.push_back({kNames[key.second], std::move(rod), kBondColours[key.second]});
  }
}

namespace {

// Of a hue in turns (0 to 1): neither pale nor glaring.
Rgb hueColour(double hue, double light) {
  Rgb out{};
  for (std::size_t k = 0; k < 3; ++k) {
    const double turn = 6 * hue + 4.0 - 2.0 * static_cast<double>(k);
    const double at =
        turn - 6 * static_cast<double>(static_cast<int>(turn / 6));  // 0 to 6, this colour's own
    const double up = clamped(absolute(at - 3) - 1, 0, 1);
    out[k] = light * (0.3 + 0.6 * up);
  }
  return out;
}

}  // namespace

std::vector<Rgb> clusterColours(const Stage& stage, const std::vector<files::CachedBond>& bonds,
                                const std::vector<char>& broken) {
  Sets sets(stage.pieces.size());
  std::vector<char> held(stage.pieces.size(), 0);
  for (std::size_t k = 0; k < bonds.size(); ++k) {
    const std::uint32_t a = bonds[k].a, b = bonds[k].b;
    if (broken[k]) continue;
    held[a] = held[b] = 1;
    if (stage.pieces[a].dynamic && stage.pieces[b].dynamic) sets.join(a, b);
  }
  std::vector<Rgb> out;
  for (std::uint32_t i = 0; i < stage.pieces.size(); ++i) {
    const bool tied = stage.pieces[i].dynamic && held[i];
    RandomStream chance(0, stage.pieces[sets.find(i)].name);
    const double hue = chance.unit(), light = chance.between(0.75, 1);
    out.push_back(tied ? hueColour(hue, light) : Rgb{0.66, 0.67, 0.68});
  }
  return out;
}

}  // namespace drubble::draw
