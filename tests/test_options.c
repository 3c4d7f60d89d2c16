// SPDX-License-Identifier: GPL-3.0-or-later
// Options of the build: their ranges, and that a firmware and its library agree on them.
#include "calls.h"

#include <glib/gstdio.h>
#include <string.h>

static int compile(const char *options, const char *more) {
    char *line =
        g_strdup_printf("cc -std=c11 -Wall -Wextra -Wpedantic -Werror %s -I%s/include %s %s/f.c "
                        "-o %s/f -lm",
                        options, SOURCE_DIR, more, folder, folder);
    int status = call(line);
    g_free(line);
    return status;
}

static void put_program(void) {
    char *path = in_folder("f.c");
    ck_assert(g_file_set_contents(
        path,
        "#include <cammino/cammino.h>\n"
        "int main(void) { static cmo_robot robot; return cmo_robot_start(&robot, 0, 0) == "
        "CMO_OUTCOME_NOT_SUPPORTED ? 0 : 1; }\n",
        -1, NULL));
    g_free(path);
}

static void remove_program(void) {
    char *path = in_folder("f.c");
    g_unlink(path);
    g_free(path);
    path = in_folder("f");
    g_unlink(path);
    g_free(path);
}

START_TEST(an_option_outside_of_its_range_does_not_build) {
    static const struct {
        const char *option, *says;
    } cases[] = {{"-DCMO_LIGHTS_MAX=0", "CMO_LIGHTS_MAX"},
                 {"-DCMO_LIGHTS_MAX=9", "CMO_LIGHTS_MAX"},
                 {"-DCMO_LOOKS_MAX=0", "CMO_LOOKS_MAX"},
                 {"-DCMO_HISTORY=2", "CMO_HISTORY"},
                 {"-DCMO_WATCH_LIGHT=2", "CMO_WATCH_LIGHT"},
                 {"-DCMO_SLIDING=2", "CMO_SLIDING"},
                 {"-DCMO_TWO_SIDED=-1", "CMO_TWO_SIDED"},
                 {"-DCMO_LAST_LINE=2", "CMO_LAST_LINE"},
                 {"-DCMO_GROUPS_DEEP=0", "CMO_GROUPS_DEEP"},
                 {"-DCMO_COUNTED_RULES=33", "CMO_COUNTED_RULES"},
                 {"-DCMO_COUNTED_LINES=65", "CMO_COUNTED_LINES"}};
    put_program();
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        ck_assert_int_ne(compile(cases[i].option, "-c"), 0);
        ck_assert_ptr_nonnull(strstr(err, "#error"));
        ck_assert_ptr_nonnull(strstr(err, cases[i].says));
    }
    remove_program();
}
END_TEST

// With one sensor and with many it is built for the ports from hell.
START_TEST(core_builds_with_parts_left_out) {
    static const char *const options[] = {"-DCMO_SLIDING=0 -DCMO_LAST_LINE=0",
                                          "-DCMO_TWO_SIDED=0 -DCMO_SURFACES_MAX=0"};
    put_program();
    for (size_t i = 0; i < G_N_ELEMENTS(options); i++) {
        char *line = g_strdup_printf("sh -c 'cc -std=c11 -O0 -Wall -Wextra -Wpedantic -Werror %s "
                                     "-I%s/include %s/core/*/*.c %s/f.c -o %s/f -lm && %s/f'",
                                     options[i], SOURCE_DIR, SOURCE_DIR, folder, folder, folder);
        ck_assert_msg(call(line) == 0, "%s", err);
        g_free(line);
    }
    remove_program();
}
END_TEST

START_TEST(a_firmware_built_with_other_options_than_the_library_does_not_link) {
    put_program();
    static const struct {
        const char *option, *lacks;
    } cases[] = {
        {"-DCMO_LIGHTS_MAX=2", NULL}, // as it is
        {"-DCMO_LIGHTS_MAX=3", "undefined reference to `cmo_robot_start_lights3_"},
        {"-DCMO_SLIDING=0", "_sliding0_sided1_last1_deep2_rules8_counted16_surfaces8'"},
        {"-DCMO_TWO_SIDED=0", "_sliding1_sided0_last1_deep2_rules8_counted16_surfaces8'"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        char *line =
            g_strdup_printf("sh -c 'cd %s && cc -std=c11 %s -I%s/include f.c %s/libcammino.a "
                            "-o f -lm'",
                            folder, cases[i].option, SOURCE_DIR, LIBRARIES);
        ck_assert_msg((call(line) == 0) == (cases[i].lacks == NULL), "%s: %s", cases[i].option,
                      err);
        ck_assert(cases[i].lacks == NULL || strstr(err, cases[i].lacks) != NULL);
        g_free(line);
    }
    remove_program();
}
END_TEST

int main(void) {
    make_folder();
    const TTest *const tests[] = {
        an_option_outside_of_its_range_does_not_build, core_builds_with_parts_left_out,
        a_firmware_built_with_other_options_than_the_library_does_not_link, NULL};
    int status = run_suite("options", tests);
    remove_folder();
    return status;
}
