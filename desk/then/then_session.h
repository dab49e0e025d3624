#pragma once

#include "core/night/then_picture.h"
#include "desk/jobs/job_lane.h"
#include "desk/session/picture.h"

#include <QObject>

#include <memory>
#include <vector>

namespace pathmark::desk {

class NightSession;

/// The older picture of the frame in hand, and what differs.
class ThenSession : public QObject {
    Q_OBJECT

  public:
    explicit ThenSession(NightSession& session, QObject* parent = nullptr);

    /// Lays a source on the frame in hand; what differs follows.
    void lay(const night::ThenSource& source);

    /// The address of the survey of services.toml; empty: none.
    [[nodiscard]] static QString surveyAddress();

    void forget();

    [[nodiscard]] const std::shared_ptr<const Picture>& picture() const { return picture_; }

    [[nodiscard]] const std::vector<night::DifferingLight>& lights() const { return lights_; }

    [[nodiscard]] bool isBusy() const { return laying_.isBusy() || comparing_.isBusy(); }

    void stop() {
        laying_.stop();
        comparing_.stop();
    }

  signals:
    void laid();
    void compared();
    void failed(const QString& why);
    void progressed(const QString& stage, int done, int total, double secondsLeft);

  private:
    void compare(const std::shared_ptr<const night::ThenPicture>& then,
                 const night::LightRecord& light);

    NightSession& session_;
    JobLane laying_;
    JobLane comparing_;
    std::shared_ptr<const Picture> picture_;
    std::vector<night::DifferingLight> lights_;
};

} // namespace pathmark::desk
