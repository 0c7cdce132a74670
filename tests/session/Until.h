// Waiting for something with the event loop running.
#pragma once

#include <QElapsedTimer>
#include <QtTest/QtTest>
#include <functional>

namespace anhinga::testing {

/// True as soon as `done` holds; what it says after `ms` at the latest.
inline bool until(int ms, const std::function<bool()>& done) {
    QElapsedTimer t;
    t.start();
    while (t.elapsed() < ms && !done()) QTest::qWait(15);
    return done();
}

}  // namespace anhinga::testing
