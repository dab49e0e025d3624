#pragma once

#include "core/night/night_sources.h"
#include "core/night/site_parallax.h"
#include "desk/jobs/job_lane.h"

#include <QLabel>
#include <QLineEdit>
#include <QWidget>

#include <memory>
#include <optional>

namespace pathmark::desk {

class NightSession;

/// How far the light in hand is, where the place that is held was seen from another site: that is asked for here.
class TwoSites : public QWidget {
    Q_OBJECT

  public:
    explicit TwoSites(NightSession& session, QWidget* parent = nullptr);

    /// What is compared; hidden while there are not both, or both are on one frame.
    void compare(const std::optional<night::MeasurementRecord>& held,
                 const std::optional<night::MeasurementRecord>& here);

  protected:
    bool eventFilter(QObject* object, QEvent* event) override;

  private:
    void ask();
    static QString parallaxWords(const night::SiteParallax& seen);

    NightSession& session_;
    JobLane comparing_;
    std::optional<night::MeasurementRecord> held_;
    std::optional<night::MeasurementRecord> here_;
    QLineEdit* site_;
    QLabel* words_;
};

} // namespace pathmark::desk
