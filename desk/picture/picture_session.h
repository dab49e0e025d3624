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
    frame::Wcs wcs; ///< of the first level
    std::vector<picture::ColourPicture>
        levels; ///< in linear light, each of half the size of the one before
    picture::LightHistogram histogram;
    picture::Stretch found; ///< as it stretches itself

    [[nodiscard]] picture::Stretch stretchOf(const picture::Look& look) const {
        return picture::stretchOf(look, found, histogram.ground);
    }
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

  private:
    void refresh();
    void open(const orbit::BodyId& body, const std::filesystem::path& path);
    void take(Result<std::shared_ptr<const OpenPicture>> picture);
    void showWhole();
    [[nodiscard]] picture::Look keptLook() const;

    NightSession& session_;
    JobLane opening_;
    JobLane showing_;
    JobLane writing_;
    bool isWanted_ = false;
    orbit::BodyId body_;
    std::filesystem::path path_; ///< that is open, or being opened
    std::shared_ptr<const OpenPicture> picture_;
    picture::Look look_;
    QString state_;
};

} // namespace pathmark::desk
