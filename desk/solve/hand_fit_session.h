#pragma once

#include "core/solve/hand_fit.h"
#include "desk/solve/frame_star_search.h"

#include <QObject>

#include <memory>
#include <optional>
#include <vector>

namespace pathmark::desk {

/// The catalogue laid over the frame in hand by hand: what the hand has done so far, how well it fits, the solution once it
/// is locked.
class HandFitSession : public QObject {
    Q_OBJECT

  public:
    HandFitSession(NightSession& session, FrameStarSearch& look, QObject* parent = nullptr);

    [[nodiscard]] bool isOn() const { return stars_ != nullptr; }

    /// Lays the catalogue over the frame in hand; says so where that can't be done.
    void begin();
    void leave();

    // What the hand does; a locked fit is let go.
    void drag(frame::PixelPos from, frame::PixelPos to);
    void turn(double degrees, frame::PixelPos about);
    void scale(double factor, frame::PixelPos about);
    void flip();
    void showFainter(int steps);
    void backToStart();

    /// Fits all stars from here, on a worker.
    void lock();

    /// Stores the locked solution for the frame, and offers it to the unsolved frames of the series where wanted. Can be undone.
    void keep(bool offerToSeries);

    [[nodiscard]] const frame::Wcs& wcs() const { return wcs_; }

    [[nodiscard]] const std::vector<catalog::Star>& field() const { return field_; }

    [[nodiscard]] const solve::Coincidence& coincidence() const { return coincidence_; }

    [[nodiscard]] double radiusPixels() const;

    /// Magnitude G of the faintest star shown.
    [[nodiscard]] double faintest() const;

    /// The locked solution with its account; nullptr while there is none.
    [[nodiscard]] std::shared_ptr<const night::FrameStars> locked() const { return locked_; }

    [[nodiscard]] bool isLocking() const { return locks_.isBusy(); }

    /// True where a fit by hand of the frame in hand is kept in the night file.
    [[nodiscard]] bool isKept() const;

    /// Takes the kept fit of the frame in hand back. Can be undone.
    void forget();

    /// Frames of the series that are not solved, this one aside.
    [[nodiscard]] std::vector<night::FrameId> unsolvedOfSeries() const;

  signals:
    void changed();
    void began();
    void left();

  private:
    [[nodiscard]] frame::PixelPos middle() const;
    void set(const frame::Wcs& wcs);
    void readField();

    NightSession& session_;
    FrameStarSearch& look_;
    JobLane locks_;
    std::shared_ptr<const catalog::StarStore> catalogue_;
    std::shared_ptr<const night::FrameStars> stars_;
    night::LightRecord light_;
    frame::Wcs start_;
    frame::Wcs wcs_;
    std::vector<catalog::Star> field_;
    std::optional<SkyPos> fieldCentre_;
    double fieldScale_ = 0.0;
    int shown_ = 0; ///< stars wanted on the frame
    solve::Coincidence coincidence_;
    std::shared_ptr<const night::FrameStars> locked_;
};

} // namespace pathmark::desk
