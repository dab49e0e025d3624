#pragma once

#include "core/base/job.h"
#include "core/night/report/reported_night.h"
#include "core/report/page/page.h"

#include <span>
#include <utility>
#include <vector>

namespace pathmark::night {

/// A night and what it was run with.
struct NightWithRecipe {
    ReportedNight night;
    Recipe recipe;
};

/// A night for a reader who was not there: what was done and with what, how good it was, each body with its cut-outs, places, residuals
/// and brightness, what is new, what was sent.
///
/// Errors   report.nothing_to_report  nothing was measured; base.cancelled
Result<report::Page> nightPage(const NightWithRecipe& night, const Job& job);

/// One body over nights.
///
/// Errors   report.nothing_to_report  none of the nights has kept a position of it; base.cancelled
Result<report::Page>
bodyPage(std::span<const NightWithRecipe> nights, const BodyId& body, const Job& job);

} // namespace pathmark::night
