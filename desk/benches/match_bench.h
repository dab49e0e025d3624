#pragma once

#include "desk/shell/bench.h"

#include <QScrollArea>

namespace pathmark::desk {

class MatchMap;

/// The bench of calibrating: the match map, as long as the night needs it.
class MatchBench : public QScrollArea, public Bench {
    Q_OBJECT

  public:
    explicit MatchBench(NightSession& session, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void setNight(const std::shared_ptr<const NightSnapshot>& night) override;

  private:
    NightSession& session_;
    MatchMap* map_ = nullptr;
};

} // namespace pathmark::desk
