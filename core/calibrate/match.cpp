#include "core/calibrate/match.h"

#include "core/base/names.h"
#include "core/calibrate/match_cost.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

namespace pathmark::calibrate {
namespace {

using frame::FrameKind;

constexpr std::array kRoleNames{
    std::pair{Role::Dark, "dark"},
    std::pair{Role::Bias, "bias"},
    std::pair{Role::ScaledDark, "scaled dark"},
    std::pair{Role::Flat, "flat"},
    std::pair{Role::FlatDark, "flat-dark"},
    std::pair{Role::FlatBias, "bias of the flat"},
    std::pair{Role::FlatScaledDark, "scaled dark of the flat"},
};

/// Flats of at least this exposure gather dark current that a bias does not take away.
constexpr double kLongFlatSeconds = 10.0;

bool serves(Role role, FrameKind kind) {
    switch (role) {
    case Role::Dark:
    case Role::ScaledDark:
    case Role::FlatScaledDark: return kind == FrameKind::Dark;
    case Role::Bias:
    case Role::FlatBias: return kind == FrameKind::Bias;
    case Role::Flat: return kind == FrameKind::Flat;
    case Role::FlatDark: return kind == FrameKind::FlatDark || kind == FrameKind::Dark;
    }
    return false;
}

/// Chooses role by role and writes down what was thought.
class Matcher {
  public:
    Matcher(std::span<const FrameGroup> groups, std::span<const Override> overrides)
        : groups_(groups), overrides_(overrides) {}

    /// The cheapest candidate of a role; `noted` roles keep those passed over for the observer to see.
    std::optional<std::size_t> choose(Role role, const FrameGroup& user, bool noted) {
        std::vector<MasterCandidate> candidates;
        for (std::size_t i = 0; i < groups_.size(); ++i) {
            if (serves(role, groups_[i].example.kind)) {
                candidates.push_back(costOf(role, user, groups_, i));
            }
        }
        // Equal costs: the earlier group, so that the answer does not hang on chance.
        std::stable_sort(
            candidates.begin(),
            candidates.end(),
            [](const MasterCandidate& a, const MasterCandidate& b) { return a.cost() < b.cost(); });
        nearest_ = candidates.empty() ? std::nullopt : std::optional(candidates.front());
        const auto request = std::find_if(overrides_.begin(),
                                          overrides_.end(),
                                          [&](const Override& o) { return o.role == role; });
        if (request != overrides_.end()) {
            if (const auto wanted = resolved(*request, candidates)) {
                return byHand(*wanted, candidates, noted);
            }
        }
        const bool found = !candidates.empty() && candidates.front().objection() == nullptr;
        if (noted) {
            match.passedOver.insert(
                match.passedOver.end(), candidates.begin() + (found ? 1 : 0), candidates.end());
        }
        if (!found) {
            return std::nullopt;
        }
        const MasterCandidate& best = candidates.front();
        match.choices.push_back(
            {role, best.group, reasonFor(best, user, candidates.size()), false});
        warn(best, user);
        return best.group;
    }

    /// What the nearest candidate lacks, for a warning; empty where there is no candidate at all.
    [[nodiscard]] std::string nearestLacks() const {
        if (!nearest_) {
            return {};
        }
        const CostTerm* objection = nearest_->objection();
        return objection == nullptr ? std::string()
                                    : fmt::format(" The nearest, {}, does not do: {}.",
                                                  groups_[nearest_->group].title(),
                                                  objection->words);
    }

    MasterMatch match;

  private:
    /// The group that a path means; nothing where no group can be meant.
    std::optional<Override> resolved(const Override& request,
                                     const std::vector<MasterCandidate>& candidates) {
        if (request.path.empty()) {
            return request;
        }
        bool isThere = false;
        for (const MasterCandidate& candidate : candidates) {
            const FrameGroup& group = groups_[candidate.group];
            const bool named =
                std::any_of(group.frames.begin(), group.frames.end(), [&](const auto& info) {
                    return info.path.string().find(request.path) != std::string::npos;
                });
            const bool otherSize =
                std::any_of(candidate.terms.begin(), candidate.terms.end(), [](const auto& term) {
                    return term.hard && (term.name == "size" || term.name == "binning");
                });
            isThere = isThere || named;
            if (named && !otherSize) {
                return Override{request.role, group.id};
            }
        }
        if (!isThere) {
            match.warnings.push_back(
                fmt::format("You chose a {} whose path holds '{}', but there is none.",
                            name(request.role),
                            request.path));
        }
        return std::nullopt;
    }

    std::optional<std::size_t>
    byHand(const Override& request, const std::vector<MasterCandidate>& candidates, bool noted) {
        std::optional<std::size_t> chosen;
        for (const MasterCandidate& candidate : candidates) {
            if (groups_[candidate.group].id == request.group) {
                chosen = candidate.group;
                match.choices.push_back(
                    {request.role,
                     candidate.group,
                     groups_[candidate.group].title() + ": because you chose it.",
                     true});
                if (const CostTerm* objection = candidate.objection()) {
                    match.warnings.push_back(fmt::format("You chose {}, but {}.",
                                                         groups_[candidate.group].title(),
                                                         objection->words));
                }
            } else if (noted) {
                match.passedOver.push_back(candidate);
            }
        }
        if (!request.group.isKnown()) {
            match.warnings.push_back(
                fmt::format("No {} is used, because you chose none.", name(request.role)));
        }
        return chosen;
    }

    [[nodiscard]] std::string
    reasonFor(const MasterCandidate& best, const FrameGroup& user, std::size_t count) const {
        const FrameGroup& group = groups_[best.group];
        std::string what;
        switch (best.role) {
        case Role::Dark:
        case Role::FlatDark: what = "camera, size, exposure and temperature agree"; break;
        case Role::ScaledDark:
        case Role::FlatScaledDark:
            what = fmt::format("no dark of {:g} s fits, so its {:g} s are scaled, with the bias",
                               user.example.exposureSeconds,
                               group.example.exposureSeconds);
            break;
        case Role::Bias:
        case Role::FlatBias: what = "camera, size and gain agree"; break;
        case Role::Flat:
            what = user.example.filter == group.example.filter ? "camera, size and filter agree"
                                                               : "camera and size agree";
        }
        const bool forFlats = best.role == Role::FlatDark || best.role == Role::FlatBias ||
                              best.role == Role::FlatScaledDark;
        std::string text = fmt::format("{}{}: {}; taken {}",
                                       forFlats ? "for the flats, " : "",
                                       group.title(),
                                       what,
                                       nearnessOf(user, group));
        if (best.costliestTerm() != "it was taken " + nearnessOf(user, group) &&
            !best.costliestTerm().empty()) {
            text += ", though " + best.costliestTerm();
        }
        return text + (count > 1 ? fmt::format("; the best of {}.", count) : ".");
    }

    void warn(const MasterCandidate& best, const FrameGroup& user) {
        const FrameGroup& group = groups_[best.group];
        for (const CostTerm& term : best.terms) {
            if (best.role == Role::Flat) {
                warnOfFlat(term, user, group);
            } else if (term.name == "temperature" && best.role == Role::Dark && term.cost > 0.4) {
                match.warnings.push_back(fmt::format(
                    "The dark differs in temperature: {}. Take darks at the lights' temperature.",
                    term.words));
            } else if (term.name == "count" && best.role == Role::Dark) {
                match.warnings.push_back(fmt::format("The dark has only {} frame(s) and adds its "
                                                     "noise to every light. Take ten or more.",
                                                     group.frames.size()));
            }
        }
    }

    void warnOfFlat(const CostTerm& term, const FrameGroup& user, const FrameGroup& group) {
        const auto say = [&](std::string text) { match.warnings.push_back(std::move(text)); };
        if (term.name == "shutter") {
            say("The only flats are under 1 s and may show the shutter's shape. Take flats of 1 s "
                "or more.");
        } else if (term.name == "date" && std::abs(group.middleJulian - user.middleJulian) > 0.75 &&
                   group.middleJulian != 0.0) {
            say(fmt::format(
                "The flats were taken {}; dust may have moved since. Take flats every night.",
                nearnessOf(user, group)));
        } else if (term.name == "rotation") {
            say(fmt::format(
                "In the flats {}; vignetting and dust do not lie where they did. Take flats at "
                "the lights' rotation.",
                term.words));
        } else if (term.name == "level") {
            say(fmt::format(
                "Of the flats, {}; its noise goes into every light. Expose flats to a third of "
                "the range.",
                term.words));
        } else if (term.name == "filter") {
            say(fmt::format("Whether the flats have the lights' filter is not known: {}.",
                            term.words));
        } else if (term.name == "count") {
            say(fmt::format(
                "There are only {} flat(s); their noise goes into every light. Take ten or more.",
                group.frames.size()));
        }
    }

    std::span<const FrameGroup> groups_;
    std::span<const Override> overrides_;
    std::optional<MasterCandidate> nearest_;
};

void matchDark(Matcher& matcher, const FrameGroup& light) {
    if (matcher.choose(Role::Dark, light, true)) {
        return;
    }
    const std::string lacks = matcher.nearestLacks();
    const std::string wanted =
        light.example.exposureKnown
            ? fmt::format("darks of {:g} s", light.example.exposureSeconds)
            : std::string("darks of the lights' exposure, and let the camera write it down");
    const auto bias = matcher.choose(Role::Bias, light, false);
    if (!bias) {
        matcher.match.warnings.push_back(fmt::format(
            "No dark fits and no bias; the lights keep their bias level and hot pixels.{} "
            "Take {}.",
            lacks,
            wanted));
        return;
    }
    if (!matcher.choose(Role::ScaledDark, light, false)) {
        matcher.match.warnings.push_back(
            fmt::format("No dark fits; only the bias is taken off.{} Take {}.", lacks, wanted));
    }
}

void matchFlat(Matcher& matcher, const FrameGroup& light, std::span<const FrameGroup> groups) {
    const auto flat = matcher.choose(Role::Flat, light, true);
    if (!flat) {
        matcher.match.warnings.push_back(fmt::format(
            "No flat fits; vignetting and dust stay.{} Take flats{}.",
            matcher.nearestLacks(),
            light.example.filter.empty() ? "" : " with the filter " + light.example.filter));
        return;
    }
    const FrameGroup& flats = groups[*flat];
    if (flats.isReady() || matcher.choose(Role::FlatDark, flats, false)) {
        return;
    }
    if (!matcher.choose(Role::FlatBias, flats, false)) {
        matcher.match.warnings.push_back(
            "Neither flat-dark nor bias fits the flats; their bias level stays in and weakens the "
            "correction. Take biases.");
        return;
    }
    if (flats.example.exposureSeconds >= kLongFlatSeconds) {
        matcher.choose(Role::FlatScaledDark, flats, false);
    }
}

} // namespace

const char* name(Role role) {
    return nameIn(kRoleNames, role);
}

std::optional<Role> roleNamed(std::string_view text) {
    return valueNamed(kRoleNames, text);
}

double MasterCandidate::cost() const {
    double sum = 0.0;
    for (const CostTerm& term : terms) {
        sum += term.cost;
    }
    return sum;
}

const CostTerm* MasterCandidate::objection() const {
    const auto found =
        std::find_if(terms.begin(), terms.end(), [](const CostTerm& t) { return t.hard; });
    return found == terms.end() ? nullptr : &*found;
}

std::string MasterCandidate::costliestTerm() const {
    const auto found =
        std::max_element(terms.begin(), terms.end(), [](const CostTerm& a, const CostTerm& b) {
            return a.cost < b.cost;
        });
    return found == terms.end() ? std::string() : found->words;
}

const MasterChoice* MasterMatch::choice(Role role) const {
    const auto found = std::find_if(
        choices.begin(), choices.end(), [&](const MasterChoice& f) { return f.role == role; });
    return found == choices.end() ? nullptr : &*found;
}

std::optional<std::size_t> MasterMatch::group(Role role) const {
    const MasterChoice* found = choice(role);
    return found == nullptr ? std::nullopt : std::optional(found->group);
}

MasterMatch matchMasters(const FrameGroup& light,
                         std::span<const FrameGroup> groups,
                         std::span<const Override> overrides) {
    Matcher matcher(groups, overrides);
    matchDark(matcher, light);
    matchFlat(matcher, light, groups);
    return std::move(matcher.match);
}

} // namespace pathmark::calibrate
