#pragma once

#include <QColor>

class QApplication;
class QPainter;
class QRectF;
class QWidget;

namespace pathmark::desk {

/// Which light the window is used in.
enum class Theme { Dark, Dome, Light };

/// The colours of the house; shapes say the same as colours everywhere.
struct Colours {
    QColor ground;
    QColor panel;
    QColor line;
    QColor text;
    QColor quiet;
    QColor inHand;    ///< the body in hand and nothing else
    QColor agreed;    ///< agreed, matched, kept
    QColor disagrees; ///< disagrees, rejected, dropped
    QColor predicted;
};

const Colours& colours();

/// Pictures of the sky are white: in the dome they are dimmed and reddened, in the other themes left as they are.
void dimPicture(QPainter& painter, const QRectF& place);

/// What pictures of the sky are multiplied by for that.
QColor pictureTint();

/// The colours for marks over the Sky, which is dark in every light.
const Colours& skyColours();

/// What a label's colour says; it follows the theme.
enum class Tone { Text, Quiet, Agreed, Disagrees };

void setTone(QWidget& label, Tone tone);

/// Sets palette and style sheet of the whole program, with text of that size in per cent.
void applyTheme(QApplication& application, Theme theme, int textPercent = 100);

/// Of text, in per cent of its normal size.
int currentTextPercent();

/// A length of the screen that holds text, grown with the text.
double scaled(double length);

/// The theme that is set now.
Theme currentTheme();

} // namespace pathmark::desk
