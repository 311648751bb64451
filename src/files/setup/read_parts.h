// SPDX-License-Identifier: Apache-2.0
// Readers of the setup's larger tables.
#pragma once
#include "files/setup/setup.h"
#include "files/setup/table.h"

namespace drubble::files {

void readBody(Table& t, const Setup& s, BodySetup& b);
void readGroup(Table& t, const Setup& s, BodySetup& b);
void readCut(Table& t, const Setup& s, CutSetup& c);
void checkCuts(Document& doc, const Setup& s);
void readSelections(Table& root, Setup& s);
void readAdjust(Table& t, const Setup& s, AdjustSetup& a);
void readMotion(Table& t, const Setup& s, MotionSetup& m);
void readContact(Table& t, ContactSetup& c);
// between = [ONE, OTHER]: two name patterns, or lists of them. `needed`: what is said when it is missing.
void readBetween(Table& t, const char* needed, Selector& a, Selector& b);
void readJoint(Table& t, JointSetup& j);
void readForce(Table& t, const Setup& s, ForceSetup& f);
void readRule(Table& t, const Setup& s, RuleSetup& r);
// How large copies are, under "size".
SizeSetup readSize(Table& t);
void readPlace(Table& t, const Setup& s, PlaceSetup& p);
void readPour(Table& t, const Setup& s, PourSetup& p);
// copies = { NAME = WEIGHT }, in the order of the file.
std::vector<CopySetup> readCopies(Table& t);
// body = NAME, box or sphere; nothing when the key is not there.
std::optional<SelectSetup::Region> readRegion(Table& t, const std::string& key);
void readBond(Table& t, const Setup& s, BondSetup& b);
// Pa or N, under `key`: one number for all, or { tension, compression, shear }.
bond::Strength readStrength(Table& t, const std::string& key, const bond::Strength& fallback);

// What bodies and groups share.
void readName(Table& t, BodySetup& b, const char* kind);
void readCommon(Table& t, const Setup& s, BodySetup& b);
world::Role readRole(Table& t, const std::string& fallback);
Origin readOrigin(Table& t);

// A pattern or a list of them; complains when `needed` and missing.
Selector readSelector(Table& t, const std::string& key, bool needed);
// "#rrggbb"; nothing: it is none.
std::optional<std::array<double, 3>> colourOf(const std::string& text);
// colours = { "#rrggbb" = WEIGHT }, in the order of the file.
std::vector<ColourSetup> readColours(Table& t);
std::array<double, 3> parseColour(Table& t, const std::string& key);
std::string readMaterialName(Table& t, const Setup& s, const std::string& key = "material");

}  // namespace drubble::files
