#pragma once

#include "core/night/body_orbit.h"
#include "desk/session/night_snapshot.h"

#include <QString>

// What the orbit bench says in words; rich text.
namespace pathmark::desk {

/// In how many frames the body was found where it was predicted, or why it is news that it was not.
QString matchWords(const NightSnapshot& night, const orbit::BodyId& body);

/// How many observations agree, how well, and what tonight's say about the others.
QString fitWords(const night::BodyOrbit& orbit);

/// How many lines of the files could not be read, and the first of them; empty where all could.
QString problemWords(const std::vector<Error>& problems);

/// The elements with their errors; of a cloud what all its orbits have in common.
QString elementWords(const night::BodyOrbit& orbit);

/// Where the orbit has the body tonight: the area to search, rates and angles.
QString boundsWords(const night::BodyOrbit& orbit);

} // namespace pathmark::desk
