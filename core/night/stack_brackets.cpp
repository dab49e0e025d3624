#include "core/night/stack_brackets.h"

#include <algorithm>

namespace pathmark::night {
namespace {

using Bracket = std::vector<FrameId>;

auto placeOf(std::span<const LightRecord> lights, const FrameId& frame) {
    return std::find_if(lights.begin(), lights.end(), [&](const LightRecord& light) {
        return light.frame.isKnown() && light.frame == frame;
    });
}

bool holds(const Bracket& bracket, const FrameId& frame) {
    return std::find(bracket.begin(), bracket.end(), frame) != bracket.end();
}

/// The brackets that a series has.
BracketStacks standing(const Decided& decided, const SeriesId& series) {
    const auto known = decided.brackets.find(series);
    return {series, known == decided.brackets.end() ? std::vector<Bracket>() : known->second};
}

} // namespace

Result<BracketStacks> withBracket(std::span<const LightRecord> lights,
                                  const Decided& decided,
                                  const FrameId& first,
                                  const FrameId& last) {
    auto from = placeOf(lights, first);
    auto to = placeOf(lights, last);
    if (from == lights.end() || to == lights.end()) {
        return fail(ErrorId::NightUnknownId, "A bracket begins and ends at a light of the night.");
    }
    if (from->series != to->series) {
        return fail(ErrorId::NightUnknownId,
                    "A bracket begins and ends in one series: " + from->raw.filename().string() +
                        " and " + to->raw.filename().string() + " are of two.");
    }
    if (to < from) {
        std::swap(from, to);
    }
    Bracket bracket;
    for (auto light = from; light <= to; ++light) {
        if (light->series == from->series && light->frame.isKnown()) {
            bracket.push_back(light->frame);
        }
    }
    BracketStacks result = standing(decided, from->series);
    for (Bracket& other : result.brackets) {
        std::erase_if(other, [&](const FrameId& frame) { return holds(bracket, frame); });
    }
    std::erase_if(result.brackets, [](const Bracket& other) { return other.empty(); });
    result.brackets.push_back(std::move(bracket));
    std::sort(
        result.brackets.begin(), result.brackets.end(), [&](const Bracket& a, const Bracket& b) {
            return placeOf(lights, a.front()) < placeOf(lights, b.front());
        });
    return result;
}

std::optional<BracketStacks>
withoutBracket(std::span<const LightRecord> lights, const Decided& decided, const FrameId& frame) {
    const auto light = placeOf(lights, frame);
    if (light == lights.end()) {
        return std::nullopt;
    }
    BracketStacks result = standing(decided, light->series);
    const auto taken = std::erase_if(result.brackets,
                                     [&](const Bracket& bracket) { return holds(bracket, frame); });
    return taken > 0 ? std::optional(std::move(result)) : std::nullopt;
}

} // namespace pathmark::night
