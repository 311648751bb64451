// SPDX-License-Identifier: Apache-2.0
#include "files/cache/watches.h"

#include <algorithm>

#include "core/measure/touch.h"
#include "files/cache/blob.h"

namespace drubble::files {

namespace {

// Arrays one after the other: a, b (uint32), place, normal (3 float32), force, speed, sliding, area
// (float32).
void writeContacts(Database& db, const world::World& w) {
  std::vector<PieceId> who;
  for (const world::Watch& watch : w.scene().watches)
    if (watch.keep_contacts) who.insert(who.end(), watch.who.begin(), watch.who.end());
  if (who.empty()) return;
  std::sort(who.begin(), who.end());
  const std::vector<measure::Touch> touches = measure::touches(w, who);
  ByteWriter out;
  for (const measure::Touch& t : touches) out.add(t.a.value);
  for (const measure::Touch& t : touches) out.add(t.b.value);
  for (const measure::Touch& t : touches) out.add(Vec3f(t.place.cast<float>()));
  for (const measure::Touch& t : touches) out.add(Vec3f(t.normal.cast<float>()));
  for (double measure::Touch::*x :
       {&measure::Touch::force, &measure::Touch::speed, &measure::Touch::sliding, &measure::Touch::area})
    for (const measure::Touch& t : touches) out.add(static_cast<float>(t.*x));
  const Blob b = packBytes(out.take());
  Statement(db, "INSERT INTO contacts VALUES (?, ?, ?, ?)")
      .bind(w.frame())
      .bind(u32(touches.size()))
      .bind(std::span<const std::byte>(b.data))
      .bind(b.hash)
      .once();
}

}  // namespace

void writeWatches(Database& db, const world::Scene& s) {
  Statement row(db, "INSERT INTO watches VALUES (?, ?)");
  Statement member(db, "INSERT INTO watch_members VALUES (?, ?)");
  for (std::uint32_t k = 0; k < s.watches.size(); ++k) {
    row.bind(k).bind(s.watches[k].name).once();
    for (const PieceId p : s.watches[k].who) member.bind(k).bind(p.value).once();
  }
}

void writeWatchFrame(Database& db, const world::World& w) {
  writeContacts(db, w);
  Statement force(db, "INSERT INTO watch_forces VALUES (?, ?, ?, ?, ?)");
  Statement fill(db, "INSERT INTO watch_fills VALUES (?, ?, ?, ?, ?, ?)");
  for (std::uint32_t k = 0; k < w.watchForces().size(); ++k) {
    const Vec3& f = w.watchForces()[k];
    force.bind(w.frame()).bind(k).bind(f.x()).bind(f.y()).bind(f.z()).once();
    if (const auto x = w.watchFilled(k))
      fill.bind(w.frame()).bind(k).bind(x->count).bind(x->volume).bind(x->share).bind(x->height).once();
  }
}

std::vector<CachedContact> readContacts(Database& db, int frame) {
  Statement r(db, "SELECT count, data, hash FROM contacts WHERE frame = ?");
  r.bind(frame);
  if (!r.step()) return {};
  const Bytes data = r.blob(1);
  if (hashOf(data) != r.integer(2))
    throw Error(ErrorKind::Input, "the contacts at frame " + std::to_string(frame) + " are damaged",
                Where{db.path(), 0, 0, ""});
  const Bytes raw = unpackBytes(data);
  ByteReader in(raw);
  std::vector<CachedContact> out(static_cast<std::size_t>(r.integer(0)));
  Vec3f v;
  for (CachedContact& c : out) in.read(c.a);
  for (CachedContact& c : out) in.read(c.b);
  for (CachedContact& c : out) in.read(v), c.place = v.cast<double>();
  for (CachedContact& c : out) in.read(v), c.normal = v.cast<double>();
  for (double CachedContact::*x :
       {&CachedContact::force, &CachedContact::speed, &CachedContact::sliding, &CachedContact::area})
    for (CachedContact& c : out) {
      float number = 0;
      in.read(number);
      c.*x = static_cast<double>(number);
    }
  return out;
}

std::vector<CachedWatch> readWatches(Database& db) {
  std::vector<CachedWatch> out;
  Statement names(db, "SELECT name FROM watches ORDER BY id");
  while (names.step()) out.push_back({names.text(0), {}, {}, {}});
  Statement member(db, "SELECT watch, piece FROM watch_members ORDER BY watch, piece");
  while (member.step())
    if (const auto id = static_cast<std::size_t>(member.integer(0)); id < out.size())
      out[id].members.push_back(static_cast<std::uint32_t>(member.integer(1)));
  Statement r(db, "SELECT watch, frame, x, y, z FROM watch_forces ORDER BY watch, frame");
  while (r.step())
    if (const auto id = static_cast<std::size_t>(r.integer(0)); id < out.size())
      out[id].forces.emplace_back(static_cast<int>(r.integer(1)), vec3(r.real(2), r.real(3), r.real(4)));
  Statement f(db, "SELECT watch, frame, count, volume, share, height FROM watch_fills ORDER BY watch, frame");
  while (f.step())
    if (const auto id = static_cast<std::size_t>(f.integer(0)); id < out.size())
      out[id].filled.emplace_back(
          static_cast<int>(f.integer(1)),
          world::Filled{static_cast<std::uint32_t>(f.integer(2)), f.real(3), f.real(4), f.real(5)});
  return out;
}

}  // namespace drubble::files
