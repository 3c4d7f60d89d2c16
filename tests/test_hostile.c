// SPDX-License-Identifier: GPL-3.0-or-later
// What files, names, pipes and full disks may not do: run a command, hang, or lose a file.
#define _DEFAULT_SOURCE // for links and modes
#include "calls.h"

#include <fcntl.h>
#include <glib/gstdio.h>
#include <json-glib/json-glib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#define ROUTE "data/ferry/first-round.yaml"

static char *content(const char *name) {
    char *path = in_folder(name);
    char *text = NULL;
    g_file_get_contents(path, &text, NULL, NULL);
    g_free(path);
    return text;
}

static void put(const char *name, const char *text, gssize size) {
    char *path = in_folder(name);
    ck_assert(g_file_set_contents(path, text, size, NULL));
    g_free(path);
}

static bool there(const char *name) {
    char *path = in_folder(name);
    bool found = g_file_test(path, G_FILE_TEST_EXISTS);
    g_free(path);
    return found;
}

static void take_away(const char *name) {
    char *path = in_folder(name);
    ck_assert_msg(g_unlink(path) == 0, "%s", name);
    g_free(path);
}

// A route over the car deck whose robot file lies in the folder.
static void put_route(const char *name, const char *robot, const char *legs) {
    char *text = g_strdup_printf("robot: %s\nmat: %s/data/ferry/car-deck.svg\n"
                                 "start: {x_mm: 480, y_mm: 620}\nlegs:\n  - %s\n",
                                 robot, SOURCE_DIR, legs);
    put(name, text, -1);
    g_free(text);
}

static char *mozzo(void) {
    char *text;
    ck_assert(g_file_get_contents("data/ferry/mozzo.yaml", &text, NULL, NULL));
    return text;
}

// ------------------------------------------------------------------------- nothing is a command --

START_TEST(a_name_from_a_file_is_no_command) {
    char *before = mozzo();
    static const char *const names[] = {
        "\"Mo'zz'o \\\"`touch owned`\\\" {/*9 x} %d\\\\\"",
        "'$(touch owned) \"; system(\"\"touch owned\"\") #'",
    };
    for (size_t i = 0; i < G_N_ELEMENTS(names); i++) {
        char **parts = g_strsplit(before, "name: Mozzo\n", 2);
        ck_assert_uint_eq(g_strv_length(parts), 2);
        char *text = g_strdup_printf("%sname: %s\n%s", parts[0], names[i], parts[1]);
        put("r.yaml", text, -1);
        put_route("t.yaml", "r.yaml", "stop_on_line: {}");
        ck_assert_int_eq(CALL("budget %s/r.yaml --picture %s/b.svg"), 0);
        ck_assert_int_eq(CALL("drive %s/t.yaml --view strip --picture %s/s.svg"), 0);
        ck_assert_int_eq(CALL("series %s/t.yaml --trials 3 --quiet --picture %s/n.svg"), 0);
        put("l.yaml", "limits:\n  - {leg: 1, figure: rest_error_mm, within: 99, share: 0.5}\n", -1);
        ck_assert_int_eq(CALL("judge %s/l.yaml %s/t.yaml --trials 3 --picture %s/j.svg"), 0);
        ck_assert_int_eq(CALL("compare %s/t.yaml %s/t.yaml --trials 3 --picture %s/c.svg"), 0);
        ck_assert_int_eq(CALL("sweep %s/t.yaml --field start.y_mm --values 610,620 --field "
                              "start.x_mm --values 470,480 --trials 2 --picture %s/m.svg"),
                         0);
        static const char *const pictures[] = {"b.svg", "s.svg", "n.svg", "j.svg",
                                               "c.svg", "m.svg", "l.yaml"};
        for (size_t n = 0; n < G_N_ELEMENTS(pictures); n++) {
            take_away(pictures[n]);
        }
        g_free(text);
        g_strfreev(parts);
    }
    put("r.yaml", "name: \"Mozzo\\n!touch owned\\n#\"\n", -1);
    ck_assert_int_eq(CALL("budget %s/r.yaml"), 2);
    ck_assert_ptr_nonnull(strstr(err, "r.yaml:1: name: "));
    take_away("r.yaml");
    take_away("t.yaml");
    ck_assert(!g_file_test("owned", G_FILE_TEST_EXISTS) && !there("owned"));
    g_free(before);
}
END_TEST

START_TEST(the_name_of_a_file_is_no_command) {
    put_route("a\n!touch owned\n\033[31m'`.yaml", SOURCE_DIR "/data/ferry/mozzo.yaml",
              "stop_on_line: {}");
    ck_assert_int_eq(CALL("drive '%s/a\n!touch owned\n\033[31m'\"'\"'`.yaml' --view strip "
                          "--picture '%s/a\n!touch owned\n.svg'"),
                     0);
    ck_assert_ptr_null(strchr(out, '\033'));
    ck_assert_ptr_nonnull(strstr(out, "/a !touch owned  [31m'`.yaml, seed 1\n"));
    ck_assert(!g_file_test("owned", G_FILE_TEST_EXISTS) && !there("owned"));
    take_away("a\n!touch owned\n.svg");
    take_away("a\n!touch owned\n\033[31m'`.yaml");
}
END_TEST

START_TEST(a_path_that_is_no_text_gives_sound_json_and_one_line) {
    put_route("\xff.yaml", SOURCE_DIR "/data/ferry/mozzo.yaml", "stop_on_line: {}");
    ck_assert_int_eq(CALL("drive --json %s/\xff.yaml"), 0);
    ck_assert(g_utf8_validate(out, -1, NULL));
    JsonParser *parser = json_parser_new();
    ck_assert(json_parser_load_from_data(parser, out, -1, NULL));
    g_object_unref(parser);
    take_away("\xff.yaml");
    ck_assert_int_eq(CALL("drive %s/\xfe.yaml"), 2);
    ck_assert_ptr_nonnull(strstr(err, "there is no such"));
}
END_TEST

START_TEST(a_name_that_begins_with_a_dash_can_be_given) {
    put_route("-t.yaml", SOURCE_DIR "/data/ferry/mozzo.yaml", "stop_on_line: {}");
    ck_assert_int_eq(call("sh -c 'cd %s && " COMMAND " drive --quiet -- -t.yaml'"), 0);
    take_away("-t.yaml");
}
END_TEST

// --------------------------------------------------------------------- full disks, closed pipes --

START_TEST(an_output_that_cannot_be_written_is_no_success) {
    static const char *const lines[] = {
        "drive " ROUTE, "drive " ROUTE " --json",      "drive --help", "--help", "--version",
        "--manual",     "budget data/ferry/mozzo.yaml"};
    for (size_t i = 0; i < G_N_ELEMENTS(lines); i++) {
        char *line = g_strdup_printf("sh -c '" COMMAND " %s >/dev/full'", lines[i]);
        ck_assert_msg(call(line) == 2, "%s", line);
        ck_assert_str_eq(err, "cammino: the output cannot be written\n");
        g_free(line);
    }
}
END_TEST

START_TEST(a_reader_that_ends_early_and_closed_streams_end_no_command) {
    ck_assert_int_eq(call("sh -c '{ " COMMAND " drive " ROUTE "; echo $? >&2; } | true'"), 0);
    ck_assert(g_str_has_suffix(err, "0\n") || g_str_has_suffix(err, "2\n")); // as true is quick
    ck_assert_int_eq(call("sh -c '" COMMAND " drive " ROUTE
                          " --quiet --view strip --picture %s/s.svg <&- >&- 2>&-'"),
                     0);
    char *picture = content("s.svg");
    ck_assert_ptr_nonnull(strstr(picture, "</svg>"));
    g_free(picture);
    take_away("s.svg");
}
END_TEST

START_TEST(what_is_no_file_is_neither_read_nor_written) {
    char *pipe = in_folder("pipe.yaml");
    ck_assert_int_eq(mkfifo(pipe, 0600), 0);
    ck_assert_int_eq(CALL("drive %s/pipe.yaml"), 2);
    ck_assert_ptr_nonnull(strstr(err, "pipe"));
    ck_assert_int_eq(CALL("budget /dev/zero"), 2);
    ck_assert_int_eq(CALL("draw /dev/zero --picture %s/x.png"), 2);
    ck_assert_int_eq(CALL("levels /dev/zero --robot data/ferry/mozzo.yaml"), 2);
    g_unlink(pipe);
    char *text =
        g_strdup_printf("robot: %s/data/ferry/mozzo.yaml\nmat: /dev/zero\n"
                        "start: {x_mm: 480, y_mm: 620}\nlegs: [{advance: {distance_mm: 1}}]\n",
                        SOURCE_DIR);
    put("zero.yaml", text, -1);
    ck_assert_int_eq(CALL("drive %s/zero.yaml"), 2);
    ck_assert_ptr_nonnull(strstr(err, "/dev/zero: the mat cannot be read"));
    take_away("zero.yaml");
    char *link = in_folder("full.svg");
    ck_assert_int_eq(symlink("/dev/full", link), 0);
    ck_assert_int_eq(CALL("drive " ROUTE " --quiet --picture %s/full.svg"), 2);
    ck_assert_ptr_nonnull(strstr(err, "full.svg: the picture cannot be written: it is no regular"));
    g_unlink(link);
    g_free(link);
    g_free(text);
    g_free(pipe);
}
END_TEST

START_TEST(what_is_nested_deeply_ends_at_once) {
    char *deep = g_strnfill(80000, '[');
    put("deep.yaml", deep, -1);
    ck_assert_int_eq(CALL("drive %s/deep.yaml"), 2);
    ck_assert_ptr_nonnull(strstr(err, "deep.yaml:1: nested too deeply; 20 at most"));
    take_away("deep.yaml");
    g_free(deep);
}
END_TEST

// ------------------------------------------------------------------------------- files are kept --

START_TEST(what_a_call_reads_is_not_written_over) {
    char *robot = mozzo();
    put("r.yaml", robot, -1);
    put_route("t.yaml", "r.yaml", "stop_on_line: {}");
    char *route = content("t.yaml");
    char *mat;
    ck_assert(g_file_get_contents("data/ferry/car-deck.svg", &mat, NULL, NULL));
    put("m.svg", mat, -1);
    char *text = g_strdup_printf("mat: m.svg\n%s", route);
    char *other = strstr(text + 5, "mat: ");
    memcpy(other, "# : ", 4);
    put("t.yaml", text, -1);
    static const char *const lines[] = {"drive %s/t.yaml --picture %s/m.svg",
                                        "drive %s/t.yaml --trace %s/./t.yaml",
                                        "drive %s/t.yaml --trace %s/r.yaml",
                                        "drive %s/t.yaml --trace %s/link",
                                        "drive %s/t.yaml --trace %s/m.svg --quiet",
                                        "drive %s/t.yaml --trace %s/n.svg --picture %s/./n.svg",
                                        "levels %s/t.yaml --picture %s/m.svg"};
    char *link = in_folder("link");
    ck_assert_int_eq(symlink("r.yaml", link), 0);
    for (size_t i = 0; i < G_N_ELEMENTS(lines); i++) {
        char *line = g_strdup_printf(COMMAND " %s", lines[i]);
        ck_assert_msg(call(line) == 2, "%s", line);
        ck_assert_ptr_nonnull(strstr(err, "this call uses that file otherwise"));
        g_free(line);
    }
    char *now[3] = {content("r.yaml"), content("t.yaml"), content("m.svg")};
    ck_assert_str_eq(now[0], robot);
    ck_assert_str_eq(now[1], text);
    ck_assert_str_eq(now[2], mat);
    for (int i = 0; i < 3; i++) {
        g_free(now[i]);
    }
    take_away("link");
    take_away("m.svg");
    take_away("t.yaml");
    take_away("r.yaml");
    g_free(link);
    g_free(text);
    g_free(mat);
    g_free(route);
    g_free(robot);
}
END_TEST

START_TEST(writing_keeps_links_mode_and_other_files) {
    char *robot = mozzo();
    put("real.yaml", robot, -1);
    char *real = in_folder("real.yaml");
    char *link = in_folder("r.yaml");
    char *twin = in_folder("twin.yaml");
    ck_assert_int_eq(g_chmod(real, 0640), 0);
    ck_assert_int_eq(symlink("real.yaml", link), 0);
    put("real.yaml.part", "mine", -1);
    put("r.yaml.part", "mine too", -1);
    put_route("t.yaml", "r.yaml", "take_levels: {}");
    ck_assert_int_eq(CALL("levels %s/t.yaml --write --seed 4"), 0);
    struct stat status;
    ck_assert(lstat(link, &status) == 0 && S_ISLNK(status.st_mode));
    ck_assert(lstat(real, &status) == 0 && (status.st_mode & 07777) == 0640);
    char *once = content("real.yaml");
    ck_assert_str_ne(once, robot);
    // A second name goes on being one.
    ck_assert_int_eq(linkat(AT_FDCWD, real, AT_FDCWD, twin, 0), 0);
    ck_assert_int_eq(CALL("levels %s/t.yaml --write --seed 5"), 0);
    char *twice = content("twin.yaml");
    ck_assert_str_ne(twice, once);
    ck_assert(lstat(real, &status) == 0 && status.st_nlink == 2);
    g_unlink(twin);
    // What is read-only stays as it is.
    ck_assert_int_eq(g_chmod(real, 0444), 0);
    ck_assert_int_eq(CALL("levels %s/t.yaml --write --seed 6"), 2);
    ck_assert_ptr_nonnull(strstr(err, "the robot file cannot be written: it is read-only"));
    char *last = content("real.yaml");
    ck_assert_str_eq(last, twice);
    char *part = content("real.yaml.part");
    ck_assert_str_eq(part, "mine");
    take_away("real.yaml.part");
    take_away("r.yaml.part");
    take_away("r.yaml");
    take_away("real.yaml");
    take_away("t.yaml");
    g_free(part);
    g_free(last);
    g_free(twice);
    g_free(once);
    g_free(twin);
    g_free(link);
    g_free(real);
    g_free(robot);
}
END_TEST

// The levels that the command says and those in the file, whatever its ends of line, its mark and
// the spaces after its colons.
START_TEST(what_is_printed_is_what_is_written) {
    char *plain = mozzo();
    char **lines = g_strsplit(plain, "\n", -1);
    char *dos = g_strjoinv("\r\n", lines);
    char **colons = g_strsplit(plain, ": ", -1);
    char *wide = g_strjoinv(":  ", colons);
    char *marked = g_strconcat("\xef\xbb\xbf", wide, NULL);
    const char *const texts[] = {plain, dos, wide, marked};
    put_route("t.yaml", "r.yaml", "take_levels: {}");
    for (size_t i = 0; i < G_N_ELEMENTS(texts); i++) {
        put("r.yaml", texts[i], -1);
        ck_assert_int_eq(CALL("levels %s/t.yaml --write --seed 4"), 0);
        int dark, light;
        ck_assert_int_eq(sscanf(strstr(out, "\nleft "), " left %d %d", &dark, &light), 2);
        char *path = in_folder("r.yaml");
        lab_robot *robot = lab_robot_load(path, NULL);
        ck_assert_ptr_nonnull(robot);
        ck_assert_uint_eq(robot->levels[0].dark, (unsigned)dark);
        ck_assert_uint_eq(robot->levels[0].light, (unsigned)light);
        lab_robot_free(robot);
        char *now = content("r.yaml");
        char **of_before = g_strsplit(texts[i], "\r\n", -1);
        char **of_now = g_strsplit(now, "\r\n", -1);
        ck_assert_uint_eq(g_strv_length(of_before), g_strv_length(of_now));
        g_strfreev(of_before);
        g_strfreev(of_now);
        g_free(now);
        g_free(path);
    }
    take_away("r.yaml");
    take_away("t.yaml");
    g_free(marked);
    g_free(wide);
    g_strfreev(colons);
    g_free(dos);
    g_strfreev(lines);
    g_free(plain);
}
END_TEST

START_TEST(a_patrol_or_a_wait_without_an_end_ends) {
    put_route("t.yaml", SOURCE_DIR "/data/ferry/mozzo.yaml", "stay_inside: {for_s: 5000}");
    ck_assert_int_eq(CALL("drive %s/t.yaml"), 2);
    ck_assert_ptr_nonnull(strstr(err, "for_s: 5000 is out of range; 0.1 to 3600"));
    take_away("t.yaml");
}
END_TEST

START_TEST(numbers_in_json_are_as_short_as_they_can_be) {
    static const char *const lines[] = {
        "drive " ROUTE " --json", "series " ROUTE " --trials 3 --json",
        "budget data/ferry/mozzo.yaml --json", "levels data/ferry/take-levels.yaml --json"};
    for (size_t i = 0; i < G_N_ELEMENTS(lines); i++) {
        char *line = g_strconcat(COMMAND " ", lines[i], NULL);
        ck_assert_int_eq(call(line), 0);
        for (const char *at = out; *at != '\0';) { // no number with over 15 digits
            size_t digits = strspn(at, "0123456789.");
            ck_assert_msg(digits <= 16, "%s: %.*s", lines[i], (int)digits, at);
            at += digits > 0 ? digits : 1;
        }
        g_free(line);
    }
}
END_TEST

int main(void) {
    make_folder();
    const TTest *const tests[] = {a_name_from_a_file_is_no_command,
                                  the_name_of_a_file_is_no_command,
                                  a_path_that_is_no_text_gives_sound_json_and_one_line,
                                  a_name_that_begins_with_a_dash_can_be_given,
                                  an_output_that_cannot_be_written_is_no_success,
                                  a_reader_that_ends_early_and_closed_streams_end_no_command,
                                  what_is_no_file_is_neither_read_nor_written,
                                  what_is_nested_deeply_ends_at_once,
                                  what_a_call_reads_is_not_written_over,
                                  writing_keeps_links_mode_and_other_files,
                                  what_is_printed_is_what_is_written,
                                  a_patrol_or_a_wait_without_an_end_ends,
                                  numbers_in_json_are_as_short_as_they_can_be,
                                  NULL};
    int status = run_suite("hostile", tests);
    remove_folder();
    return status;
}
