// Under with-comma the tests run with the locale of the environment, as a toolkit sets it.
#include <gtest/gtest.h>

#include <clocale>
#include <cstdlib>
#include <string>

namespace {

class Comma : public testing::Environment {
  public:
    void SetUp() override {
        if (std::getenv("NK_COMMA") == nullptr) return;
        ASSERT_NE(std::setlocale(LC_ALL, ""), nullptr);
        // A run that has no comma proves nothing.
        ASSERT_EQ(std::string(std::localeconv()->decimal_point), ",");
    }
};

const testing::Environment* const kComma = testing::AddGlobalTestEnvironment(new Comma);

}  // namespace
