// SPDX-License-Identifier: Apache-2.0
#include "files/setup/start_from.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "files/cache/format.h"

namespace drubble::files {

std::string startCache(const Setup& s) {
  const std::filesystem::path beside = std::filesystem::path(s.path).parent_path() / s.start_from->cache;
  return std::filesystem::exists(beside) ? beside.string() : s.start_from->cache;
}

std::string settledSetup(const Setup& s) {
  const std::string stem = std::filesystem::path(s.start_from->cache).stem().string();
  if (!stem.ends_with(kSettled)) return {};
  const std::filesystem::path setup =
      std::filesystem::path(s.path).parent_path() / (stem.substr(0, stem.size() - kSettled.size()) + ".toml");
  return std::filesystem::exists(setup) ? setup.string() : "";
}

StartFrom::StartFrom(const Setup& s, const StartFromSetup& from) : from_(from) {
  const std::string path = startCache(s);
  if (!std::filesystem::exists(path))
    if (const std::string setup = settledSetup(s); !setup.empty())
      throw Error(ErrorKind::Input,
                  fmt::format("start_from: there is no '{}' yet; make it: drubble settle {} -o {}", path,
                              setup, path),
                  from.where);
  try {
    cache_ = std::make_unique<CacheReader>(path);
    const std::vector<CachedFrame> frames = cache_->frames();
    frame_ = from.frame.value_or(frames.back().frame);
    const auto has = [&](const CachedFrame& f) { return f.frame == frame_; };
    if (std::none_of(frames.begin(), frames.end(), has))
      throw Error(ErrorKind::Input, fmt::format("'{}' has no frame {}: it holds {} to {}", path, frame_,
                                                frames.front().frame, frames.back().frame));
    states_ = cache_->states(frame_);
    for (std::size_t i = 0; i < states_.size(); ++i) known_[cache_->pieces()[i].name] = i;
    const std::vector<CachedBond> bonds = cache_->bonds();
    const auto nameOf = [&](std::uint32_t i) { return cache_->pieces()[i].name; };
    for (const CachedBondBreak& b : cache_->bondBreaks())
      if (b.frame <= frame_) broken_.insert(std::minmax(nameOf(bonds[b.bond].a), nameOf(bonds[b.bond].b)));
    for (const CachedJointBreak& b : cache_->jointBreaks())
      if (b.frame <= frame_) broken_joints_.insert(cache_->joints()[b.joint].name);
  } catch (const Error& e) {
    const Problem& p = e.problems().front();
    throw Error(ErrorKind::Input,
                fmt::format("start_from: {}{}", p.where && !p.where->path.empty() ? p.where->path + ": " : "",
                            p.message),
                from.where);
  }
}

void StartFrom::leaveOut(BuiltScene& built) const {
  std::vector<std::string> left;
  const auto gone = [&](const world::Piece& p) {
    const auto at = known_.find(p.name);
    return at != known_.end() && (states_[at->second].flags & kFlagGone) != 0;
  };
  std::vector<std::uint32_t> stays;  // of each piece, how many before it do
  for (const world::Piece& p : built.scene.pieces) {
    stays.push_back(u32(stays.size() - left.size()));
    if (gone(p)) left.push_back(p.name);
  }
  // What was born there and is gone is not born again.
  for (world::Pour& pour : built.scene.pours) {
    std::erase_if(pour.births, [&](const world::Birth& b) {
      const auto first = built.scene.pieces.begin() + b.first;
      return std::any_of(first, first + static_cast<std::ptrdiff_t>(pour.kits[b.kit].parts.size()), gone);
    });
    for (world::Birth& b : pour.births) b.first = stays[b.first];
  }
  std::erase_if(built.scene.pieces, gone);
  if (!left.empty())
    built.notes.push_back(fmt::format("start_from: {} {} gone in '{}' and left out, like '{}'", left.size(),
                                      left.size() == 1 ? "piece is" : "pieces are", from_.cache, left[0]));
}

void StartFrom::apply(const std::vector<PieceId>& who, BuiltScene& built) const {
  world::Scene& s = built.scene;
  std::size_t moved = 0;
  std::vector<std::string> missing;
  std::size_t others = 0;
  std::string other;
  std::set<std::string> here;
  for (const world::Piece& p : s.pieces) here.insert(p.name);
  for (const PieceId id : who) {
    world::Piece& p = s.pieces[id.index()];
    if (p.role != world::Role::Dynamic) continue;
    const auto at = known_.find(p.name);
    if (at == known_.end()) {
      missing.push_back(p.name);
      continue;
    }
    const PieceState& state = states_[at->second];
    if ((state.flags & kFlagUnborn) != 0) continue;
    const std::string &was = cache_->prototypes()[cache_->pieces()[at->second].prototype].name,
                      &is = s.prototypes[p.prototype.index()].name;
    if (was != is && others++ == 0) other = fmt::format("'{}', '{}' there and '{}' here", p.name, was, is);
    p.start = state.pose();
    p.start.turn.normalize();
    ++moved;
    built.as_before.push_back(id);
    const bool still = !from_.keep_motion;
    const auto vec = [](const std::array<float, 3>& v) {
      return vec3(static_cast<double>(v[0]), static_cast<double>(v[1]), static_cast<double>(v[2]));
    };
    p.velocity = still ? Vec3(Vec3::Zero()) : vec(state.velocity);
    p.spin = still ? Vec3(Vec3::Zero()) : vec(state.spin);
    const bool slept = (state.flags & (kFlagAwake | kFlagDriven | kFlagHeld)) == 0;
    p.start_state = (state.flags & kFlagHeld) != 0 ? world::Start::Held
                    : slept                        ? world::Start::Asleep
                                                   : world::Start::Awake;
  }
  std::size_t more = 0;
  std::string like;
  for (std::size_t i = 0; i < states_.size(); ++i) {
    const CachedPiece& c = cache_->pieces()[i];
    if (!c.dynamic || here.contains(c.name) || (states_[i].flags & (kFlagGone | kFlagUnborn)) != 0) continue;
    if (more++ == 0) like = c.name;
  }
  std::string told =
      fmt::format("start_from: {} pieces stand where '{}' has them in frame {}", moved, from_.cache, frame_);
  if (!missing.empty()) told += fmt::format("; {} are not in it, like '{}'", missing.size(), missing[0]);
  if (others > 0)
    told += fmt::format("; {} are copies of another body, like {}: was there another seed?", others, other);
  if (more > 0) told += fmt::format("; it has {} that are not here, like '{}'", more, like);
  built.notes.push_back(told);
  for (std::size_t k = s.joints.size(); k-- > 0;) {
    if (!broken_joints_.contains(s.joints[k].name)) continue;
    s.joints.erase(s.joints.begin() + static_cast<std::ptrdiff_t>(k));
    built.joint_wheres.erase(built.joint_wheres.begin() + static_cast<std::ptrdiff_t>(k));
  }
}

bool StartFrom::brokeBond(const std::string& a, const std::string& b) const {
  return broken_.contains(std::minmax(a, b));
}

}  // namespace drubble::files
