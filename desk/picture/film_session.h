#pragma once

#include "core/night/film.h"
#include "desk/session/night_session.h"

#include <QObject>
#include <QTimer>

#include <memory>

namespace pathmark::desk {

/// What a hand says of a film.
struct FilmSettings {
    bool holdsBody = true; ///< else the stars stand still
    int running = 1;       ///< frames that are added for each picture
    int framesPerSecond = 10;
    double pauseSeconds = 0.5; ///< at both ends
    double shape = 0.0;        ///< width over height; 0: as the frames are
    bool hasStamp = true;
    picture::Marks marks;
    int first = -1; ///< lights of the night; -1: its first and last
    int last = -1;

    friend bool operator==(const FilmSettings&, const FilmSettings&) = default;
};

struct FilmReel;

/// The film of the body in hand, or of the stars where none is: made picture by picture on a worker, and played on the Sky from the first
/// on, while the others are still being made.
class FilmSession : public QObject {
    Q_OBJECT

  public:
    explicit FilmSession(NightSession& session, QObject* parent = nullptr);
    ~FilmSession() override;

    void setWanted(bool wanted);

    [[nodiscard]] const FilmSettings& settings() const { return settings_; }

    void setSettings(const FilmSettings& settings);

    /// The lights that it is made from, as places in the night.
    [[nodiscard]] std::vector<int> lights() const;

    [[nodiscard]] bool isPlaying() const { return isPlaying_; }

    void setPlaying(bool playing);

    /// Pictures that are there, and of how many.
    [[nodiscard]] std::pair<int, int> made() const;

    /// What is in the way; empty: nothing.
    [[nodiscard]] const QString& state() const { return state_; }

    /// Writes it, at the size of the frames.
    void write(const QString& path);

    [[nodiscard]] bool isWriting() const { return writing_.isBusy(); }

  signals:
    void changed();
    void written(const QString& path);

  private:
    void begin();
    void showNext();
    [[nodiscard]] QString title() const;
    [[nodiscard]] night::FilmWishes wishes() const;
    [[nodiscard]] std::vector<std::filesystem::path> files() const;

    NightSession& session_;
    JobLane making_;
    JobLane writing_;
    QTimer clock_;
    FilmSettings settings_;
    std::shared_ptr<FilmReel> reel_;
    QString state_;
    bool isWanted_ = false;
    bool isPlaying_ = true;
    int next_ = 0;
    int pausing_ = 0; ///< ticks that the picture shown still stands
};

} // namespace pathmark::desk
