// Drawn parts alone in a window of their own.
#pragma once

#include <gtest/gtest.h>

#include <QImage>
#include <QTest>
#include <QWidget>
#include <set>

namespace nk::test {

inline void shown(QWidget& w, const QSize& size) {
    w.resize(size);
    w.show();
    ASSERT_TRUE(QTest::qWaitForWindowExposed(&w));
    w.activateWindow();
    w.setFocus();
}

/// How many colours are in the picture of a part: one is an empty sheet.
inline std::size_t coloursIn(QWidget& w) {
    const QImage picture = w.grab().toImage().convertToFormat(QImage::Format_RGB32);
    std::set<QRgb> seen;
    for (int y = 0; y < picture.height(); ++y)
        for (int x = 0; x < picture.width(); ++x) seen.insert(picture.pixel(x, y));
    return seen.size();
}

inline void drag(QWidget& w, const QPoint& from, const QPoint& to) {
    QTest::mousePress(&w, Qt::LeftButton, {}, from);
    QTest::mouseMove(&w, (from + to) / 2);
    QTest::mouseMove(&w, to);
    QTest::mouseRelease(&w, Qt::LeftButton, {}, to);
}

}  // namespace nk::test
