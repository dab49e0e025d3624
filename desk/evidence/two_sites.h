#pragma once

#include "core/night/site_parallax.h"
#include "desk/jobs/job_lane.h"

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QWidget>

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

    /// Shows the other frame on the pixels of the one in hand, then both added, then the one in hand again.
    void showNext();

    /// Whether there is a pair.
    [[nodiscard]] bool isPair() const { return held_.has_value() && here_.has_value(); }

    [[nodiscard]] QPushButton& showButton() { return *show_; }

  protected:
    bool eventFilter(QObject* object, QEvent* event) override;

  private:
    /// What the Sky shows of a pair.
    enum class Shown { This, Other, Added };

    void ask();
    void tell(const QString& words);
    void setShown(Shown shown);
    [[nodiscard]] const night::LightRecord* lightOf(const night::MeasurementRecord& m) const;
    static QString parallaxWords(const night::SiteParallax& seen);

    NightSession& session_;
    JobLane comparing_;
    JobLane showing_;
    Shown shown_ = Shown::This;
    std::optional<night::MeasurementRecord> held_;
    std::optional<night::MeasurementRecord> here_;
    QLineEdit* site_;
    QLabel* words_;
    QPushButton* show_;
};

} // namespace pathmark::desk
