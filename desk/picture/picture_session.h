#pragma once

#include "core/night/linear_picture.h"
#include "core/picture/light_histogram.h"
#include "desk/session/night_session.h"

#include <QObject>

#include <memory>
#include <vector>

namespace pathmark::desk {

/// A picture of a night, read for working on.
struct OpenPicture {
    std::filesystem::path path;
    QString title;
    night::LinearPicture linear; ///< its layers are the first level
    std::vector<picture::LayeredPicture>
        smaller; ///< further levels, each of half the size of the one before
    std::vector<std::shared_ptr<const picture::Smoothing>>
        smoothings; ///< of the levels that follow a hand; null of larger ones
    picture::PictureNote note;
    picture::LightHistogram histogram;
    picture::Stretch found; ///< as it stretches itself
    std::vector<picture::ColourPoint> colours;

    [[nodiscard]] std::size_t levels() const { return smaller.size() + 1; }

    [[nodiscard]] const picture::LayeredPicture& level(std::size_t k) const {
        return k == 0 ? linear.layers : smaller[k - 1];
    }

    [[nodiscard]] picture::Stretch stretchOf(const picture::Look& look) const {
        return picture::stretchOf(look, found, histogram.ground);
    }

    /// Makes the further levels and everything that is found from the first.
    void work();
};

/// The picture of the comet in hand, or of the night's first, while somebody looks: shown on the Sky as it is stretched. While a hand
/// moves the stretch a smaller one follows it at once; what it rests at is kept with the night.
class PictureSession : public QObject {
    Q_OBJECT

  public:
    explicit PictureSession(NightSession& session, QObject* parent = nullptr);

    void setWanted(bool wanted);

    /// Null while there is none, or not yet.
    [[nodiscard]] const std::shared_ptr<const OpenPicture>& picture() const { return picture_; }

    /// Why there is none, or what is going on; empty where it is there.
    [[nodiscard]] const QString& state() const { return state_; }

    [[nodiscard]] const picture::Look& look() const { return look_; }

    /// Shares of pixels that the look in hand shows as plain black and plain white.
    [[nodiscard]] picture::Clipped clipped() const;

    /// What is on the Sky: the picture, or what was taken off it as sky.
    void showSky(bool shown);

    [[nodiscard]] const night::PictureMaking& making() const { return making_; }

    /// The filters that its frames have.
    [[nodiscard]] std::vector<std::string> filters() const;

    /// Keeps how it is to be made, as a decision: the next run joins it so.
    void remake(const night::PictureMaking& making);

    /// Shows a look, for as long as a hand moves it.
    void preview(const picture::Look& look);

    /// Keeps the look in hand, as a decision.
    void keep();

    /// As the picture stretches itself, again.
    void reset();

    /// Writes it as it is shown, or a .fits in linear light too.
    void write(const QString& path);

  signals:
    void changed();
    void lookChanged();
    void makingChanged();

  private:
    void refresh();
    void open(const orbit::BodyId& body, const std::filesystem::path& path);
    void take(Result<std::shared_ptr<const OpenPicture>> picture);
    void showWhole();
    [[nodiscard]] picture::Look keptLook() const;
    [[nodiscard]] night::PictureMaking keptMaking() const;
    void takeDecided();

    NightSession& session_;
    JobLane opening_;
    JobLane showing_;
    JobLane writing_;
    bool isWanted_ = false;
    orbit::BodyId body_;
    std::filesystem::path path_; ///< that is open, or being opened
    std::shared_ptr<const OpenPicture> picture_;
    picture::Look look_;
    night::PictureMaking making_;
    bool showsSky_ = false;
    QString state_;
};

} // namespace pathmark::desk
