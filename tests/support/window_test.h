#pragma once

#include "desk/window/main_window.h"
#include "tests/support/temporary_folder.h"

#include <QTest>

#include <gtest/gtest.h>

#include <functional>

namespace pathmark::test_support {

/// The whole window, worked as a person does: keys, the mouse, and waiting for what is to come.
class WindowTest : public testing::Test {
  protected:
    void showWindow() {
        window.show();
        window.resize(1280, 800);
        window.activateWindow();
        ASSERT_TRUE(QTest::qWaitForWindowActive(&window));
    }

    template <typename Widget>
    Widget* find(const char* name) {
        auto* widget = window.findChild<Widget*>(name);
        EXPECT_NE(widget, nullptr) << name;
        return widget;
    }

    /// As from the keyboard: to the widget that has the focus, whichever that is.
    void press(int key, Qt::KeyboardModifiers modifiers = {}) {
        QTest::keyClick(window.windowHandle(), static_cast<Qt::Key>(key), modifiers);
    }

    static bool waitFor(const std::function<bool()>& condition, int milliseconds = 60000) {
        return QTest::qWaitFor(condition, milliseconds);
    }

    TemporaryFolder folder;
    desk::MainWindow window;
};

} // namespace pathmark::test_support
