// Ticks at round degrees Fahrenheit on an axis whose values are degrees Celsius.
#pragma once

#include <qcustomplot.h>

namespace nk {

class FahrenheitTicker : public QCPAxisTicker {
  protected:
    double getTickStep(const QCPRange& range) override {
        return QCPAxisTicker::getTickStep(QCPRange(shown(range.lower), shown(range.upper))) / 1.8;
    }
    QVector<double> createTickVector(double tickStep, const QCPRange& range) override {
        QVector<double> ticks = QCPAxisTicker::createTickVector(
            1.8 * tickStep, QCPRange(shown(range.lower), shown(range.upper)));
        for (double& tick : ticks) tick = (tick - 32) / 1.8;
        return ticks;
    }
    QString getTickLabel(double tick, const QLocale& locale, QChar format, int digits) override {
        return QCPAxisTicker::getTickLabel(shown(tick), locale, format, digits);
    }

  private:
    static double shown(double celsius) { return 1.8 * celsius + 32; }
};

}  // namespace nk
