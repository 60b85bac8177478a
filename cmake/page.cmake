# The page that operates a rig: a library of its own, since what serves it takes half a minute to compile.
find_path(CHART_JS_DIR chart.min.js PATHS /usr/share/javascript/chart.js NO_DEFAULT_PATH REQUIRED)
find_file(CHART_JS_LICENCE copyright PATHS /usr/share/doc/libjs-chart.js NO_DEFAULT_PATH REQUIRED)

set(own ${PROJECT_SOURCE_DIR}/cogstride/page/files)
set(page_parts
    "/page.html|html|${own}/page.html"
    "/page.css|css|${own}/page.css"
    "/mark.svg|svg|${own}/mark.svg"
    "/chart.js|javascript|${CHART_JS_DIR}/chart.min.js"
    "/licences.txt|plain|${PROJECT_SOURCE_DIR}/LICENSE|${CHART_JS_LICENCE}")
set(page_sources ${own}/page.html ${own}/page.css ${own}/mark.svg)
foreach(module page link parts controls drawing charts lines)
  list(APPEND page_parts "/${module}.js|javascript|${own}/${module}.js")
  list(APPEND page_sources ${own}/${module}.js)
endforeach()
set(page_files_source ${PROJECT_BINARY_DIR}/page_files.cpp)
add_custom_command(OUTPUT ${page_files_source}
                   COMMAND ${CMAKE_COMMAND} "-DPARTS=${page_parts}" -DHEADER=cogstride/page/page_files.hpp -DFUNCTION=page_files
                           -DOUT=${page_files_source} -P ${PROJECT_SOURCE_DIR}/cmake/built_in_files.cmake
                   DEPENDS ${page_sources} ${PROJECT_SOURCE_DIR}/cmake/built_in_files.cmake VERBATIM)

file(GLOB cogstride_page_sources CONFIGURE_DEPENDS cogstride/page/*.cpp)
list(FILTER cogstride_page_sources EXCLUDE REGEX "_test\\.cpp$")
add_library(cogstride_page STATIC ${cogstride_page_sources} ${page_files_source})
add_library(CogStride::page ALIAS cogstride_page)
set_target_properties(cogstride_page PROPERTIES EXPORT_NAME page POSITION_INDEPENDENT_CODE ON)
set_source_files_properties(${page_files_source} PROPERTIES COMPILE_OPTIONS -Wno-overlength-strings)
target_link_libraries(cogstride_page PUBLIC cogstride PRIVATE fmt::fmt $<BUILD_INTERFACE:nlohmann_json::nlohmann_json>
                      $<BUILD_INTERFACE:cogstride_flags> $<BUILD_INTERFACE:cogstride_quickly_built>)
