// SPDX-License-Identifier: Apache-2.0
#include "files/setup/changes.h"

#include <catch2/catch.hpp>

using namespace drubble::files;

namespace {

const std::string kDeck = R"(frames = [1, 48]
seed = 3
[solver]
quality = 1
sleep = { after = 0.4 }
[material.oak]
density = 700
[[body]]
name = "deck"
box = [1, 1, 1]   # of planks
density = 860
[[camera]]
name = "shot"
at = [1, 2, 3]
look = [0, 0, 0]
)";

std::string replaced(std::string text, const std::string& from, const std::string& to) {
  return text.replace(text.find(from), from.size(), to);
}

std::vector<SetupChange> changed(const std::string& after) {
  return changesBetween({kDeck, {}}, {after, {}});
}

}  // namespace

TEST_CASE("comments, order and ways of writing are no change") {
  CHECK(changed(kDeck).empty());
  CHECK(changed(replaced(kDeck, "   # of planks", "")).empty());
  CHECK(changed(replaced(kDeck, "frames = [1, 48]\nseed = 3", "seed=3\nframes=[1,\n  48]")).empty());
}

TEST_CASE("a change is told by its key, before and after") {
  const auto density = changed(replaced(kDeck, "density = 860", "density = 900"));
  REQUIRE(density.size() == 1);
  CHECK(density[0].told() == "body.deck.density: 860, now 900");
  CHECK(changed(replaced(kDeck, "density = 700", "density = 710"))[0].key == "material.oak.density");
  CHECK(changed(replaced(kDeck, "quality = 1", "quality = 2"))[0].key == "solver.quality");
  const auto gone = changed(replaced(kDeck, "seed = 3\n", ""));
  REQUIRE(gone.size() == 1);
  CHECK(gone[0].told() == "seed: 3, now not there");
  CHECK(changed("a = [")[0].told() != "");
}

TEST_CASE("overrides count as what they set") {
  const auto same = changesBetween({kDeck, {"body.deck.density=900"}},
                                   {replaced(kDeck, "density = 860", "density = 900"), {}});
  CHECK(same.empty());
  CHECK(changesBetween({kDeck, {}}, {kDeck, {"body.deck.density*=2"}}).size() == 1);
}

TEST_CASE("titles, cameras and a later last frame leave the motion as it was; no other change does") {
  const auto leaves = [](const std::string& after) {
    const auto changes = changed(after);
    REQUIRE(changes.size() == 1);
    return leavesMotion(changes[0], 30);
  };
  CHECK(leaves("title = \"jetty\"\n" + kDeck));
  CHECK(leaves(replaced(kDeck, "at = [1, 2, 3]", "at = [4, 2, 3]")));
  CHECK(leaves(replaced(kDeck, "[1, 48]", "[1, 96]")));
  CHECK(leaves(replaced(kDeck, "[1, 48]", "[1, 30]")));
  CHECK_FALSE(leaves(replaced(kDeck, "[1, 48]", "[1, 29]")));
  CHECK_FALSE(leaves(replaced(kDeck, "[1, 48]", "[2, 96]")));
  CHECK_FALSE(leaves(replaced(kDeck, "density = 860", "density = 861")));
  CHECK_FALSE(leaves(replaced(kDeck, "seed = 3", "seed = 4")));
}
