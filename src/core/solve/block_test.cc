// SPDX-License-Identifier: Apache-2.0
// How contacts become blocks, and blocks forces again.
#include "core/solve/block.h"

#include <catch2/catch.hpp>
#include <cstring>
#include <map>
#include <set>

#include "core/base/random.h"
#include "core/solve/groups.h"
#include "core/solve/links.h"
#include "core/solve/spring.h"

using namespace drubble;
using namespace drubble::solve;

namespace {

// Balls in a row of touching pairs over a fixed piece 0, with surfaces of four sorts by turns.
struct Crowd {
  TraitsList traits;
  Bodies bodies;
  std::vector<std::uint32_t> body_of;
  Contacts contacts;

  explicit Crowd(std::size_t count) {
    RandomStream r(17, "crowd");
    for (std::size_t i = 0; i < count; ++i) {
      Traits t;
      ActiveBody b;
      t.size = 0.2;
      t.inner_radius = t.outer_radius = 0.1;
      if (i > 0) {
        t.dynamic = true;
        t.inverse_mass = 1;
        t.inertia = 0.004 * Mat3::Identity();
        t.inverse_inertia = 250 * Mat3::Identity();
        t.weight = 9.81;
        t.spring_rate = springRate(0.2, 9.81);
        b.piece = static_cast<std::uint32_t>(i);
        b.inverse_mass = Vec3::Ones();
        b.inverse_inertia = t.inverse_inertia;
        b.position = b.start_position = vec3(0.2 * static_cast<double>(i), 0.1, 0);
      }
      traits.push_back(t);
      bodies.push_back(b);
      body_of.push_back(static_cast<std::uint32_t>(i));
    }
    for (std::uint32_t i = 1; i < count; ++i) add(r, 0, i);
    for (std::uint32_t i = 1; i + 1 < count; ++i) add(r, i, i + 1);
    std::sort(contacts.begin(), contacts.end(),
              [](const Contact& x, const Contact& y) { return std::pair(x.a, x.b) < std::pair(y.a, y.b); });
  }
  void add(RandomStream& r, std::uint32_t a, std::uint32_t b) {
    Contact c;
    c.a = PieceId{a};
    c.b = PieceId{b};
    c.patch.direction = a == 0 ? Vec3f::UnitY() : Vec3f::UnitX();
    c.patch.count = static_cast<std::uint8_t>(1 + contacts.size() % 4);
    c.patch.middle = bodies[b].position;
    for (std::size_t k = 0; k < c.patch.count; ++k) {
      c.patch.arm[k] = (0.05 * vec3(r.between(-1, 1), r.between(-1, 1), r.between(-1, 1))).cast<float>();
      c.normal_force[k] = static_cast<float>(r.between(1, 5));
    }
    const std::size_t sort = contacts.size() % 5;
    if (sort == 1) c.surfaces.rolling = 0.01f;
    if (sort == 2) c.surfaces.adhesion = 100;
    if (sort == 3) c.surfaces.friction_slide = 0.3f;
    contacts.push_back(c);
  }
  BlockInput input(Team* team = nullptr) const {
    BlockInput in{bodies, body_of, traits, contacts, 0.001, 0.008};
    in.team = team;
    return in;
  }
  BlockList build(Team* team = nullptr) const {
    std::vector<std::uint32_t> all;
    for (std::uint32_t i = 0; i < contacts.size(); ++i) all.push_back(i);
    BlockInput in = input(team);
    const BodyBriefs briefs = briefsOf(in);
    in.briefs = &briefs;
    return buildBlocks(in, linksOf(in, 9.81), all);
  }
};

}  // namespace

TEST_CASE("every contact stands in one lane; groups hold blocks with extras or without, and share no body") {
  const Crowd crowd(400);
  const BlockList list = crowd.build();
  REQUIRE(list.groups.back() == list.blocks.size());
  std::set<std::uint32_t> seen;
  bool some_with = false, some_without = false;
  for (std::size_t g = 0; g + 1 < list.groups.size(); ++g) {
    std::set<std::uint32_t> moved;
    const bool with = list.extra[list.groups[g]] != BlockList::kNoExtra;
    (with ? some_with : some_without) = true;
    for (std::size_t n = list.groups[g]; n < list.groups[g + 1]; ++n) {
      CHECK((list.extra[n] != BlockList::kNoExtra) == with);
      const ContactBlock& b = list.blocks[n];
      for (std::uint32_t i = 0; i < kLanes; ++i) {
        if (b.contact[i] == kNoContact) {
          CHECK(((b.moves_a | b.moves_b) >> i & 1) == 0);
          continue;
        }
        CHECK(seen.insert(b.contact[i]).second);
        const Contact& c = crowd.contacts[b.contact[i]];
        CHECK(b.points >= static_cast<std::uint32_t>(c.patch.count));
        CHECK((b.moves_a >> i & 1) == (c.a.value != 0));
        CHECK((b.moves_b >> i & 1) == 1);
        if (c.a.value != 0) CHECK(moved.insert(c.a.value).second);
        CHECK(moved.insert(c.b.value).second);
        // A face on a face does not roll; what rolls, sticks or slides otherwise than it holds needs more.
        const SurfacesOf<float>& s = c.surfaces;
        CHECK(with == (s.adhesion > 0 || s.friction_slide != s.friction_rest ||
                       (s.rolling > 0 && c.patch.count <= 2)));
      }
    }
  }
  CHECK(seen.size() == crowd.contacts.size());
  CHECK(some_with);
  CHECK(some_without);
}

TEST_CASE("forces go into blocks and come back as they were") {
  const Crowd crowd(60);
  Contacts back = crowd.contacts;
  for (Contact& c : back) c.normal_force = {};
  storeForces(crowd.build(), 0.001, nullptr, back);
  for (std::size_t i = 0; i < back.size(); ++i)
    for (std::size_t k = 0; k < back[i].patch.count; ++k)
      CHECK(static_cast<double>(back[i].normal_force[k]) ==
            Approx(static_cast<double>(crowd.contacts[i].normal_force[k])).epsilon(1e-6));
}

TEST_CASE("a team makes the same blocks as one") {
  const Crowd crowd(2000);
  const BlockList alone = crowd.build();
  for (const int threads : {2, 3}) {
    Team team(threads);
    BlockList list = crowd.build(&team);
    REQUIRE(list.blocks.size() == alone.blocks.size());
    CHECK(list.extra == alone.extra);
    for (std::size_t n = 0; n < list.blocks.size(); ++n)
      REQUIRE(std::memcmp(static_cast<const void*>(&list.blocks[n]), &alone.blocks[n],
                          sizeof(ContactBlock)) == 0);
  }
}

TEST_CASE(
    "small islands that are calm or squeezed get lists of their own, what moves and what is large goes "
    "together") {
  Crowd crowd(30);
  // Three rows of nine: the links between them and all ground contacts are cut but each row's own.
  std::erase_if(crowd.contacts, [](const Contact& c) { return c.b.value % 10 == 0 || c.a.value % 10 == 0; });
  for (Contact& c : crowd.contacts) c.patch.count = 1;
  crowd.add(*std::make_unique<RandomStream>(1, "ground"), 0, 5);
  std::sort(crowd.contacts.begin(), crowd.contacts.end(),
            [](const Contact& x, const Contact& y) { return std::pair(x.a, x.b) < std::pair(y.a, y.b); });
  const auto contactsOf = [](const BlockList& list) {
    std::size_t n = 0;
    for (std::size_t b = 0; b < list.blocks.size(); ++b)
      for (const std::uint32_t c : list.blocks[b].contact) n += c != kNoContact;
    return n;
  };
  Groups calm = groupContacts(crowd.input(), 9.81);
  CHECK(calm.islands.size() == 3);
  CHECK(contactsOf(calm.together) == 0);
  crowd.bodies[12].velocity = vec3(1, 0, 0);
  Groups stirred = groupContacts(crowd.input(), 9.81);
  CHECK(stirred.islands.size() == 2);
  CHECK(contactsOf(stirred.together) == 8);
  // In motion, too, where something heavy presses on something light.
  Traits heavy = crowd.traits[13];
  heavy.inverse_mass /= 10;
  heavy.weight *= 10;
  crowd.traits.change(13, heavy);
  crowd.bodies[13].inverse_mass /= 10;
  Contact& pressed = *std::find_if(crowd.contacts.begin(), crowd.contacts.end(),
                                   [](const Contact& c) { return c.a.value == 13; });
  pressed.normal_force.fill(0);
  CHECK(groupContacts(crowd.input(), 9.81).islands.size() == 2);
  pressed.normal_force[0] = 50;
  Groups squeezed = groupContacts(crowd.input(), 9.81);
  CHECK(squeezed.islands.size() == 3);
  CHECK(squeezed.parting == std::vector<char>{0, 0, 0});
  CHECK(sweepsFor(1) == kMostSweeps);
  CHECK(sweepsFor(kSweepBudget / 4) == 4);
  CHECK(sweepsFor(100 * kSweepBudget) == 1);
}

TEST_CASE("what is pressed and in motion is swept again where there is little of it, or it is a stack") {
  const auto islands = [](std::size_t balls, std::size_t most_pressed) {
    Crowd crowd(balls);
    crowd.bodies[12].velocity = vec3(1, 0, 0);
    std::size_t pressed = 0;
    for (Contact& c : crowd.contacts)
      if (c.patch.count >= kFace && pressed < most_pressed) c.normal_force[0] = 300, ++pressed;
    REQUIRE(pressed >= std::min<std::size_t>(most_pressed, crowd.contacts.size() / 3));
    return groupContacts(crowd.input(), 9.81).islands.size();
  };
  CHECK(islands(30, 0) == 0);
  CHECK(islands(30, 1) == 1);
  CHECK(islands(160, 1) == 0);
  CHECK(islands(160, 1000) == 1);
  CHECK(islands(2000, 10000) == 0);
}

TEST_CASE("springs are as stiff as for the most that a contact bore, until it bears less than a third") {
  Contact c;
  const auto graded = [&](float force) {
    c.normal_force[1] = force;
    c.grade();
    return c.gradedForce();
  };
  CHECK(graded(0) == 0);
  CHECK(graded(128) == 128);
  CHECK(graded(50) == 128);
  CHECK(graded(160) == 160);
  CHECK(graded(40) == 120);
  CHECK(graded(0) == 0);
  CHECK(graded(1.001f) == Approx(1.001).epsilon(0.01));
}

TEST_CASE("an ellipsoid's resistance to rolling goes by the radius of its surface where it is touched") {
  Traits still, egg;
  egg.dynamic = true;
  egg.inverse_mass = 2;
  egg.inverse_inertia = 300 * Mat3::Identity();
  egg.size = 0.2;
  egg.inner_radius = 0.05;
  egg.outer_radius = 0.1;
  egg.half_axes = vec3(0.1, 0.05, 0.1);
  TraitsList traits;
  traits.push_back(still);
  traits.push_back(egg);
  const std::vector<std::uint32_t> body_of{0, 1};
  Contact c;
  c.a = PieceId{0u};
  c.b = PieceId{1u};
  c.patch.count = 1;
  c.surfaces.rolling = 0.01f;
  Bodies bodies(2);
  bodies[1].piece = 1;
  bodies[1].inverse_mass = Vec3::Constant(2);
  bodies[1].inverse_inertia = egg.inverse_inertia;
  // Lying on its flat side: a² / c. On its rim: the mean of a and c² / a.
  for (const auto& [turn, radius] :
       {std::pair(Quat::Identity(), 0.1 * 0.1 / 0.05),
        std::pair(turnAbout(Vec3::UnitX(), std::acos(0.0)), 0.5 * (0.1 + 0.05 * 0.05 / 0.1))}) {
    bodies[1].turn = bodies[1].start_turn = turn;
    c.patch.direction = Vec3f::UnitY();
    const Contacts contacts{c};
    BlockInput in{bodies, body_of, traits, contacts, 0.001, 0.008};
    const BodyBriefs briefs = briefsOf(in);
    in.briefs = &briefs;
    const BlockList list = buildBlocks(in, linksOf(in, 9.81), {0});
    REQUIRE(list.extraOf(0) != nullptr);
    CHECK(static_cast<double>(list.extraOf(0)->roll_lever.x[0]) == Approx(0.01 * radius).epsilon(1e-5));
  }
}
