# What `cmake --install` lays down: headers, library, CMake package, pkg-config file, command and demo files.
install(TARGETS cogstride cogstride_chip EXPORT CogStrideTargets ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR}
        LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR})
install(DIRECTORY cogstride DESTINATION ${CMAKE_INSTALL_INCLUDEDIR} FILES_MATCHING PATTERN "*.hpp"
        PATTERN "toml_table.hpp" EXCLUDE)  # the reader's own: needs toml++
install(EXPORT CogStrideTargets NAMESPACE CogStride:: DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/CogStride)

configure_package_config_file(cmake/CogStrideConfig.cmake.in ${PROJECT_BINARY_DIR}/CogStrideConfig.cmake
                              INSTALL_DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/CogStride)
write_basic_package_version_file(${PROJECT_BINARY_DIR}/CogStrideConfigVersion.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${PROJECT_BINARY_DIR}/CogStrideConfig.cmake ${PROJECT_BINARY_DIR}/CogStrideConfigVersion.cmake
        DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/CogStride)

configure_file(cmake/cogstride.pc.in ${PROJECT_BINARY_DIR}/cogstride.pc @ONLY)
install(FILES ${PROJECT_BINARY_DIR}/cogstride.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)

if(COGSTRIDE_TOOL)
  install(TARGETS cogstride_tool DESTINATION ${CMAKE_INSTALL_BINDIR})
endif()
install(DIRECTORY demo/ DESTINATION ${CMAKE_INSTALL_DATADIR}/cogstride/demo)
