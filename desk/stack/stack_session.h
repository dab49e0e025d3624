#pragma once

#include "core/night/body_frames.h"
#include "desk/session/night_session.h"

#include <QImage>
#include <QObject>

#include <array>
#include <memory>

namespace pathmark::desk {

/// What a motion makes of the frames: the stack of all and its two halves in time.
struct MotionViews {
    night::SkyMotion motion;
    std::array<frame::Image, 3> values; ///< of all, of the first half, of the second
    std::array<QImage, 3> pictures;
    double snr = 0.0;
};

/// The body in hand in the frames of the series in hand, added on the motion in hand while the hand moves it. Frames are read and added
/// on workers, and only while somebody looks.
class StackSession : public QObject {
    Q_OBJECT

  public:
    explicit StackSession(NightSession& session, QObject* parent = nullptr);

    void setWanted(bool wanted);

    /// Null while there is nothing, or not yet.
    [[nodiscard]] const std::shared_ptr<const night::BodyFrames>& frames() const { return frames_; }

    [[nodiscard]] const std::shared_ptr<const night::MotionSurvey>& survey() const {
        return survey_;
    }

    [[nodiscard]] const std::shared_ptr<const MotionViews>& views() const { return views_; }

    [[nodiscard]] const night::SkyMotion& motion() const { return motion_; }

    [[nodiscard]] bool showsStars() const { return starlight_ == stack::Starlight::Kept; }

    /// The frames as they are, the stars that they are freed of included.
    void setShowsStars(bool shows);

    /// Why there is nothing to show, or what is going on; empty where all is there.
    [[nodiscard]] const QString& state() const { return state_; }

    void setMotion(const night::SkyMotion& motion);

    /// The motion in hand becomes that of the orbit, or what the frames show; nothing happens where there is none.
    void takePredicted();
    void takeFitted();

    /// The next run stacks the body on the motion in hand; where that is its orbit's, on that again.
    void takeIntoRun();

    /// What the next run stacks it on, where that is not its orbit's.
    [[nodiscard]] std::optional<night::SkyMotion> motionOfRun() const;

    /// A plane of motions that much as wide.
    void widen(double factor);

  signals:
    void changed(); ///< frames, survey or state
    void viewsChanged();

  private:
    void forget();
    void loadAgain();
    void load();
    void takeFrames(Result<std::shared_ptr<const night::BodyFrames>> frames);
    void surveyMotions(double halfWidth, bool isFirst);
    void add();
    void showState(const QString& state);

    NightSession& session_;
    std::shared_ptr<const night::BodyFrames> frames_;
    std::shared_ptr<const night::MotionSurvey> survey_;
    std::shared_ptr<const MotionViews> views_;
    night::SkyMotion motion_;
    stack::Starlight starlight_ = stack::Starlight::LeftOut;
    night::SeriesId series_;
    std::vector<night::FrameId> added_; ///< the frames that are read, or are being read
    QString state_;
    bool wanted_ = false;
    bool addsAgain_ =
        false; ///< the motion, or what is shown, changed while frames were being added
    JobLane reading_;
    JobLane surveying_;
    JobLane adding_;
};

} // namespace pathmark::desk
