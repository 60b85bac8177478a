#include "cogstride/report/report_page.hpp"

#include <gtest/gtest.h>

#include <filesystem>

#include "cogstride/files/scratch_folder.hpp"
#include "cogstride/rig/diagnostic.hpp"
#include "support/demo_rig.hpp"
#include "support/refusal.hpp"

namespace cogstride::report_page_test {
namespace {

using testing_support::has;
using testing_support::refusal_of;

ReportPage sample() {
  ReportPage page("first.moves on Bobbin bench", true, "all as asked");
  page.add_text("What it came to", "traverse < 40 mm & \"more\"\n");
  page.add_table("Figures", {"what", "how much"}, {{"speed", "60"}, {"name", "<b>"}});
  page.add_figure("One",
                  "<?xml?><svg viewBox='0 0 10 10'><g id='a'/><use xlink:href='#a' fill='url(#a)'/></svg>");
  page.add_figure("Two", "<svg viewBox='0 0 10 10'><g id=\"a\"/></svg>");
  page.add_source("first.moves", "home traverse\nmove traverse to 40 mm\n");
  return page;
}

TEST(ReportPage, HasAllOfItInOnePage) {
  const std::string html = sample().html();
  for (const char* const part : {"<title>first.moves on Bobbin bench</title>", "all as asked",
                                 "traverse &lt; 40 mm &amp; &quot;more&quot;", "<td class=\"number\">60</td>",
                                 "<td>&lt;b&gt;</td>", "   2  move traverse to 40 mm"})
    EXPECT_TRUE(has(html, part)) << part;
  EXPECT_FALSE(has(html, "<?xml"));
  EXPECT_FALSE(has(html, "http://")) << "nothing is fetched";
  EXPECT_EQ(html, sample().html());
}

TEST(ReportPage, GivesEachFigureNamesOfItsOwn) {
  const std::string html = sample().html();
  for (const char* const part : {"id='f1-a'", "xlink:href='#f1-a'", "url(#f1-a)", "id=\"f2-a\""})
    EXPECT_TRUE(has(html, part)) << part;
}

TEST(ReportPage, SaysWhenSomethingIsWrong) {
  ReportPage page("a run", false, "steps were lost");
  EXPECT_TRUE(has(page.html(), "class=\"says wrong\""));
  Verdict verdict;
  MoverVerdict mover;
  mover.name = "traverse";
  mover.has_moved = true;
  mover.complaints = {"4 steps were lost"};
  mover.causes = {{"current", "motor.rated_current"}};
  mover.add("highest_current", 1.6, "A");
  mover.not_looked_at = {"its heat"};
  verdict.movers = {mover};
  page.add_verdict(verdict);
  page.add_findings({});
  page.add_lines(testing_support::demo_rig());
  for (const char* const part : {"4 steps were lost", "motor.rated_current", "highest current", "1.6 A",
                                 "its heat", "nothing was found", "<td>traverse</td><td>step</td>"})
    EXPECT_TRUE(has(page.html(), part)) << part;
}

TEST(ReportPage, IsWrittenWholeAndNotOverAnother) {
  const ScratchFolder scratch;
  const std::string file = scratch.file("a.html");
  write_report(file, sample(), OutputFile::Existing::refused);
  EXPECT_EQ(read_text_file(file), sample().html());
  EXPECT_FALSE(
      refusal_of<Error>([&] { write_report(file, sample(), OutputFile::Existing::refused); }).empty());
  EXPECT_TRUE(is_report_name("a.html"));
  EXPECT_FALSE(is_report_name("a.htm"));
  EXPECT_FALSE(is_report_name(".html"));
}

TEST(ScratchFolder, IsGoneWithAllThatIsInIt) {
  std::string file;
  {
    const ScratchFolder scratch;
    file = scratch.file("a");
    OutputFile out(file);
    out.write("b");
    out.commit();
    EXPECT_TRUE(std::filesystem::exists(file));
  }
  EXPECT_FALSE(std::filesystem::exists(std::filesystem::path(file).parent_path()));
}

}  // namespace
}  // namespace cogstride::report_page_test
