// SPDX-License-Identifier: Apache-2.0
#include "files/cache/rules.h"

namespace drubble::files {

void writeRules(Database& db, const world::Scene& s) {
  Statement row(db, "INSERT INTO rules VALUES (?, ?, ?, ?)");
  for (std::uint32_t k = 0; k < s.rules.size(); ++k) {
    if (s.rules[k].name.starts_with('(')) continue;  // none of the setup's
    row.bind(k)
        .bind(s.rules[k].name)
        .bind(world::deedName(s.rules[k].then))
        .bind(u32(s.rules[k].who.size()))
        .once();
  }
}

void writeRuleFrame(Database& db, const world::World& w) {
  Statement row(db, "INSERT INTO rule_deeds VALUES (?, ?, ?)");
  for (const world::RuleDeed& d : w.ruleDeeds()) row.bind(w.frame()).bind(d.rule).bind(d.piece.value).once();
}

std::vector<CachedRule> readRules(Database& db) {
  std::vector<CachedRule> out;
  Statement rule(db, "SELECT name, deed, pieces FROM rules ORDER BY id");
  while (rule.step())
    out.push_back({rule.text(0), rule.text(1), static_cast<std::uint32_t>(rule.integer(2)), {}});
  Statement deed(db, "SELECT frame, rule, piece FROM rule_deeds ORDER BY rowid");
  while (deed.step()) {
    const auto id = static_cast<std::size_t>(deed.integer(1));
    if (id < out.size())
      out[id].done.push_back(
          {static_cast<int>(deed.integer(0)), static_cast<std::uint32_t>(deed.integer(2))});
  }
  return out;
}

}  // namespace drubble::files
