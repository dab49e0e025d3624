#include "desk/benches/match_bench.h"

#include "desk/benches/match_map.h"
#include "desk/session/night_session.h"
#include "desk/shell/scrolled.h"

namespace pathmark::desk {

MatchBench::MatchBench(NightSession& session, QWidget* parent)
    : QScrollArea(parent), session_(session), map_(new MatchMap) {
    setObjectName("matchBench");
    scrollDownwards(*this, map_);
    connect(map_,
            &MatchMap::dragged,
            this,
            [this](std::size_t series, calibrate::Role role, std::optional<std::size_t> group) {
                const night::SeriesId id =
                    group ? session_.night()->groups[*group].id : night::SeriesId();
                session_.decideMatch(series, role, calibrate::Override{role, id});
            });
    connect(map_, &MatchMap::takenBack, this, [this](std::size_t series, calibrate::Role role) {
        session_.decideMatch(series, role, std::nullopt);
    });
}

BenchInfo MatchBench::info() const {
    return {"calibrate", tr("Match map"), Stage::Calibrate, {180, 600, 500}};
}

void MatchBench::setNight(const std::shared_ptr<const NightSnapshot>& night) {
    map_->setNight(night.get());
}

} // namespace pathmark::desk
