#pragma once

#include "core/night/comparison_set.h"
#include "core/night/light_curves.h"
#include "desk/jobs/job_lane.h"

#include <QObject>
#include <QString>

#include <memory>
#include <vector>

namespace pathmark::desk {

class NightSession;

/// The light curves of the field in hand: measured once on a worker when asked for, made again whenever the comparison stars change.
class LightCurveSession : public QObject {
    Q_OBJECT

  public:
    explicit LightCurveSession(NightSession& session, QObject* parent = nullptr);

    /// Measures every star of the field, and the bodies that were measured there, on its frames.
    void measure();
    void stop();

    [[nodiscard]] bool isMeasuring() const { return measuring_.isBusy(); }

    /// Null while there are none, or not of the field in hand.
    [[nodiscard]] const night::FieldLights* lights() const { return lights_.get(); }

    [[nodiscard]] const night::BandCurves* curves() const {
        return lights_ == nullptr || bands_.empty() ? nullptr : &bands_[band_];
    }

    /// The next band of the frames.
    void nextBand();

    [[nodiscard]] std::size_t bandCount() const { return bands_.size(); }

    [[nodiscard]] const std::vector<night::BandCurves>& bands() const { return bands_; }

    /// The curve of the body in hand; -1: there is none.
    [[nodiscard]] int target() const;

    /// A star is not to serve as comparison any more, or may again: a decision.
    void toggleStar(int star);

    /// The magnitudes go by the stars of a file from now on, and its targets are measured; an empty path: by the steady ones of the
    /// field again. A decision.
    void useSet(const QString& path);

    /// Whether they go by a file's stars.
    [[nodiscard]] bool usesSet() const { return !setPath_.empty(); }

    /// In a table of one of three formats, or their stars as a set, by the ending of the file's name.
    void write(const QString& path) const;

    /// What is going on, or why there is nothing.
    [[nodiscard]] const QString& state() const { return state_; }

  signals:
    void changed();

  private:
    void forget();
    void checkField();
    void checkChoice();
    void readSet(const std::string& path);
    void make();
    void takeBands(std::vector<night::BandCurves> bands);
    void showState(const QString& state);
    [[nodiscard]] std::vector<std::filesystem::path> files() const;

    NightSession& session_;
    JobLane measuring_;
    JobLane making_; ///< curves from what was measured
    std::shared_ptr<const night::FieldLights> lights_;
    std::vector<std::filesystem::path> files_; ///< that they were measured on, or are being
    std::vector<night::BandCurves> bands_;
    std::set<std::int64_t> off_; ///< that the curves were made without
    std::size_t band_ = 0;
    std::string setPath_;
    night::SavedSet set_;
    QString setTrouble_; ///< why the set's file is not used
    QString state_;
};

} // namespace pathmark::desk
