#pragma once

#include "core/night/protected_sky.h"
#include "desk/shell/bench.h"

#include <QScrollArea>

#include <memory>

class QPushButton;

namespace pathmark::desk {

class BackgroundChoices;
class MatchMap;

/// The bench of calibrating: what is done about the background of the lights and what of them is no sky, and the match map, as long as
/// the night needs it.
class MatchBench : public QScrollArea, public Bench {
    Q_OBJECT

  public:
    MatchBench(NightSession& session, SkyView& sky, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;
    void setNight(const std::shared_ptr<const NightSnapshot>& night) override;
    void setFrame(int light) override;
    void setShown(bool shown) override;

  private:
    void connectMap();
    void setMarking(bool on);
    void takeDecided();
    void followFrame();
    void showFrameOf(std::size_t series);
    void showDiscs();
    void mark(frame::PixelPos centre, double radius);
    [[nodiscard]] double rawPixelsPerPixel(const frame::FrameInfo& info) const;
    [[nodiscard]] const frame::FrameInfo* markable() const;

    NightSession& session_;
    SkyView& sky_;
    std::shared_ptr<const NightSnapshot> night_;
    night::ProtectedSky protected_;
    BackgroundChoices* choices_ = nullptr;
    QPushButton* mark_ = nullptr;
    MatchMap* map_ = nullptr;
    bool isShown_ = false;
    bool showsDiscs_ = false;
};

} // namespace pathmark::desk
