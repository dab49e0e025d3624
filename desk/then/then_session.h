#pragma once

#include "core/night/then_picture.h"
#include "desk/jobs/job_lane.h"
#include "desk/session/picture.h"

#include <QObject>

#include <memory>
#include <optional>
#include <vector>

namespace pathmark::desk {

class NightSession;

/// The older picture of the frame in hand, what is left when it is taken off, and what differs.
class ThenSession : public QObject {
    Q_OBJECT

  public:
    explicit ThenSession(NightSession& session, QObject* parent = nullptr);

    /// Lays a source on the frame in hand; what differs follows.
    void lay(const night::ThenSource& source);

    /// Takes the older picture off the frame in hand.
    void takeOff();

    /// Lists only what differs within a circle of the sky; nothing: all.
    void setCircle(const std::optional<night::SkyCircle>& circle);

    [[nodiscard]] const std::optional<night::SkyCircle>& circle() const { return circle_; }

    /// The address of the survey of services.toml; empty: none.
    [[nodiscard]] static QString surveyAddress();

    void forget();

    [[nodiscard]] const std::shared_ptr<const Picture>& picture() const { return picture_; }

    /// What is left of the frame; null until takeOff() has it.
    [[nodiscard]] const std::shared_ptr<const Picture>& difference() const { return difference_; }

    [[nodiscard]] std::vector<night::DifferingLight> lights() const;

    [[nodiscard]] bool isBusy() const {
        return laying_.isBusy() || comparing_.isBusy() || takingOff_.isBusy();
    }

    void stop() {
        laying_.stop();
        comparing_.stop();
        takingOff_.stop();
    }

  signals:
    void laid();
    void takenOff();
    void compared();
    void failed(const QString& why);
    void progressed(const QString& stage, int done, int total, double secondsLeft);

  private:
    void compare();

    NightSession& session_;
    JobLane laying_;
    JobLane comparing_;
    JobLane takingOff_;
    night::LightRecord light_; ///< that it is laid on
    std::shared_ptr<const night::ThenPicture> then_;
    std::shared_ptr<const Picture> picture_;
    std::shared_ptr<const Picture> difference_;
    std::vector<night::DifferingLight> lights_; ///< of the whole field
    std::optional<night::SkyCircle> circle_;
};

} // namespace pathmark::desk
