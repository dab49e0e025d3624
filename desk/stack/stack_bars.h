#pragma once

#include "desk/session/night_snapshot.h"

#include <QWidget>

#include <vector>

namespace pathmark::desk {

/// The stacks of the body in hand: what one frame promises beside what each stack holds.
class StackBars : public QWidget {
    Q_OBJECT

  public:
    explicit StackBars(QWidget* parent = nullptr);

    void setBody(const QString& name,
                 double frameSnr,
                 double stackSnr,
                 const Measurements& measurements);

    [[nodiscard]] QSize sizeHint() const override;

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    QString name_;
    double frameSnr_ = 0.0;
    double stackSnr_ = 0.0;
    std::vector<night::MeasurementRecord> stacks_;
};

} // namespace pathmark::desk
