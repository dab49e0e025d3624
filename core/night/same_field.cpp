#include "core/night/same_field.h"

#include "core/identify/night_bodies.h"

#include <algorithm>

namespace pathmark::night {

std::vector<std::vector<std::size_t>> sameFields(std::span<const FieldOfView> frames) {
    std::vector<Utc> times;
    times.reserve(frames.size());
    for (const FieldOfView& frame : frames) {
        times.push_back(frame.time);
    }
    std::vector<std::vector<std::size_t>> all;
    for (const auto& members : identify::nightsOf(times)) {
        std::vector<std::vector<std::size_t>> fields;
        for (const std::size_t i : members) {
            const auto field = std::find_if(fields.begin(), fields.end(), [&](const auto& f) {
                return separation(frames[f.front()].middle, frames[i].middle) < frames[i].reach;
            });
            if (field == fields.end()) {
                fields.push_back({i});
            } else {
                field->push_back(i);
            }
        }
        std::move(fields.begin(), fields.end(), std::back_inserter(all));
    }
    return all;
}

} // namespace pathmark::night
