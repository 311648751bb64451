// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include "core/base/trig.h"
#include "files/setup/read_parts.h"

namespace drubble::files {

namespace {

using place::SourceKind;

Vec3 unitVector(Table& t, const char* key, const Vec3& fallback) {
  const Vec3 v = t.vector(key, fallback);
  if (v.norm() > 1e-9) return v.normalized();
  t.complain(key, fmt::format("'{}' is [0, 0, 0]: give it a direction", key));
  return fallback;
}

void readFrom(Table& from, const Setup& s, PourSetup& p) {
  place::Source& source = p.source;
  p.from_where = from.where();
  const double unit = from.document().unit;
  int kinds = 0;
  if (from.has("point")) {
    ++kinds;
    source.at = from.lengths("point", Vec3::Zero());
  }
  for (const auto& [key, kind] :
       {std::pair("disc", SourceKind::Disc), std::pair("sphere", SourceKind::Ball)}) {
    if (!from.has(key)) continue;
    ++kinds;
    source.kind = kind;
    const std::vector<double> four = from.numbers(key, 4);
    if (four.size() != 4) continue;
    source.at = unit * vec3(four[0], four[1], four[2]);
    source.radius = unit * four[3];
    if (!(four[3] > 0))
      from.complain(key, fmt::format("the radius, the last number of '{}', must be above 0", key));
  }
  if (source.kind == SourceKind::Disc) source.axis = unitVector(from, "axis", -s.up());
  if (from.has("box")) {
    ++kinds;
    source.kind = SourceKind::Box;
    const std::vector<double> six = from.numbers("box", 6);
    if (six.size() == 6) {
      const Vec3 low = unit * vec3(six[0], six[1], six[2]), high = unit * vec3(six[3], six[4], six[5]);
      source.at = 0.5 * (low + high);
      source.size = high - low;
      if (!(source.size.array() >= 0).all())
        from.complain("box", "the first three numbers of the box must be the least corner");
    }
  }
  if (from.has("body")) {
    ++kinds;
    p.moves_with = from.text("body", "");
    source.kind = from.choice("on", "surface", {"surface", "volume"}) == "volume" ? SourceKind::Volume
                                                                                  : SourceKind::Surface;
  } else {
    p.moves_with = from.text("moves_with", "");
  }
  if (kinds != 1)
    from.complain("point",
                  "a pour comes from one of: point = [x, y, z], disc or sphere = [x, y, z, radius], "
                  "box = [six numbers], body = NAME");
}

void readWhen(Table& t, const Setup& s, PourSetup& p) {
  p.first = s.first_frame;
  p.last = s.planned_last;
  if (t.has("frames")) {
    const std::vector<double> two = t.numbers("frames", 2, {-1e6, 1e6});
    if (two.size() == 2) p.first = two[0], p.last = two[1];
    if (!(p.first < p.last)) t.complain("frames", "the first of the two frames must come before the second");
    if (p.first >= s.planned_last || p.last <= s.first_frame)
      t.complain("frames", fmt::format("pour '{}' runs in frames {} to {}, outside the shot's {} to {}",
                                       p.name, p.first, p.last, s.first_frame, s.planned_last));
    p.last = least(p.last, s.planned_last);
  }
  p.rate = t.keyable("rate", 0, 1, kNotNegative, p.rates);
  p.per_frame = t.number("per_frame", 0, kNotNegative);
  p.count = t.integer("count", 0, {0, 1e6});
  if (t.has("rate") + t.has("per_frame") + t.has("count") != 1)
    t.complain("name",
               fmt::format("pour '{}' needs one of: rate (a second), per_frame, or count (over its frames)",
                           p.name));
  t.table("pulses", [&](Table& x) {
    p.every = x.number("every", 0, kPositive);
    p.length = x.number("length", 0, kPositive);
    if (!(p.every > 0) || !(p.length > 0) || p.length > p.every)
      x.complain("every", "pulses need every (frames) and length (frames), which is no longer");
  });
  p.limit = t.integer("limit", 1000000, {1, 1e6});
}

void readUntil(Table& t, PourSetup& p) {
  t.table("until", [&](Table& u) {
    PourSetup::Until& until = p.until.emplace();
    if (const auto in = readRegion(u, "inside")) until.in = *in;
    if (u.has("count")) until.count = static_cast<std::uint32_t>(u.integer("count", 1, {1, 1e6}));
    if (u.has("share")) until.share = u.number("share", 0, {0, 1});
    if (u.has("height")) until.height = u.length("height", 0, kPositive);
    if (!u.has("inside") || (!until.count && !until.share && !until.height))
      u.complain(
          "inside",
          "'until' needs inside = { container = NAME } (or body, box, sphere), and count, share or height");
  });
}

}  // namespace

void readPour(Table& t, const Setup& s, PourSetup& p) {
  p.where = t.where();
  p.name = t.text("name", "");
  p.enabled = t.flag("enabled", true);
  if (p.name.empty()) t.complain("name", "every pour needs a name");
  p.copies = readCopies(t);
  if (!t.has("from"))
    t.complain("name", fmt::format("pour '{}' needs from = {{ … }}: where it comes from", p.name));
  t.table("from", [&](Table& from) { readFrom(from, s, p); });
  readWhen(t, s, p);
  place::Source& source = p.source;
  source.down = -s.up();
  if (t.has("direction")) source.direction = unitVector(t, "direction", -s.up());
  source.speed = t.range("speed", 0, s.unit, kNotNegative);
  source.spread = t.number("spread", 0, {0, 180}) * kDegree;
  source.spin = t.range("spin", 0, kDegree, kNotNegative);
  const toml::node* turn = t.node("turn");
  source.any_turn = turn == nullptr || turn->is_string();
  if (source.any_turn)
    t.choice("turn", "any", {"any"});
  else
    source.turn = turnXyz(t.vector("turn", Vec3::Zero(), kDegree));
  t.table("vary", [&](Table& v) {
    source.vary_turn = v.vector("turn", Vec3::Zero(), kDegree, kNotNegative);
    if (source.any_turn)
      v.complain("turn", "what turns any way cannot vary: give the pour a turn = [x, y, z]");
  });
  p.size = readSize(t);
  p.colours = readColours(t);
  p.life = t.range("life", 0, 1, kPositive);
  const double clear = t.numberOrAuto("clear", -1, s.unit, kNotNegative);
  if (clear >= 0) p.clear = clear;
  p.waits = t.choice("no_room", "wait", {"wait", "skip"}) == "wait";
  p.hand_on = t.number("hand_on", 1, {-10, 10});
  p.collide_after = t.number("collide_after", 0, kNotNegative);
  readUntil(t, p);
  p.seed = t.seed("seed", s.seed);
}

}  // namespace drubble::files
