#pragma once

#include "core/night/records.h"
#include "desk/shell/bench.h"

#include <QScrollArea>

namespace pathmark::desk {

/// The stacks of the body in hand: what one frame promises beside what each stack holds.
class StackBars : public QWidget {
    Q_OBJECT

  public:
    explicit StackBars(QWidget* parent = nullptr);

    void setBody(const QString& name,
                 double frameSnr,
                 double stackSnr,
                 std::vector<night::MeasurementRecord> measurements);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    QString name_;
    double frameSnr_ = 0.0;
    double stackSnr_ = 0.0;
    std::vector<night::MeasurementRecord> stacks_;
};

/// The bench of stacking.
class StackBench : public QScrollArea, public Bench {
    Q_OBJECT

  public:
    explicit StackBench(NightSession& session, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void setNight(const std::shared_ptr<const NightSnapshot>& night) override;
    void setShown(bool shown) override;

  private:
    void showBody();

    NightSession& session_;
    StackBars* bars_ = nullptr;
};

} // namespace pathmark::desk
