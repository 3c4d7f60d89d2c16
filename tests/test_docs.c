// SPDX-License-Identifier: GPL-3.0-or-later
// The examples in the README and in docs/, run as they stand there.
#include "calls.h"

#include <glib/gstdio.h>
#include <json-glib/json-glib.h>
#include <string.h>

static char *docs(const char *path) {
    char *text;
    ck_assert(g_file_get_contents(path, &text, NULL, NULL));
    return text;
}

// A copy of the demo's data, so that a command may write into it.
static void copy_data(void) {
    ck_assert_int_eq(call("sh -c 'mkdir %s/data && cp -r data/ferry %s/data/'"), 0);
}

static void remove_data(void) {
    ck_assert_int_eq(call("sh -c 'rm -r %s/*'"), 0);
}

// -------------------------------------------------------------------------------------- results --

static bool holds(JsonNode *all, JsonNode *part);

static bool holds_list(JsonArray *all, JsonArray *part) {
    guint at = 0;
    for (guint i = 0; i < json_array_get_length(part); i++, at++) {
        while (at < json_array_get_length(all) &&
               !holds(json_array_get_element(all, at), json_array_get_element(part, i))) {
            at++;
        }
        if (at == json_array_get_length(all)) {
            return false;
        }
    }
    return true;
}

// Whether the example is what the command prints, but for members and entries that it leaves out.
static bool holds(JsonNode *all, JsonNode *part) {
    if (json_node_get_node_type(all) != json_node_get_node_type(part)) {
        return false;
    }
    if (JSON_NODE_HOLDS_ARRAY(part)) {
        return holds_list(json_node_get_array(all), json_node_get_array(part));
    }
    if (!JSON_NODE_HOLDS_OBJECT(part)) {
        return json_node_equal(all, part);
    }
    JsonObjectIter iter;
    const char *name;
    JsonNode *member;
    json_object_iter_init(&iter, json_node_get_object(part));
    while (json_object_iter_next(&iter, &name, &member)) {
        JsonNode *found = json_object_get_member(json_node_get_object(all), name);
        if (found == NULL || !holds(found, member)) {
            return false;
        }
    }
    return true;
}

static JsonNode *parse(const char *text, gssize size) {
    GError *error = NULL;
    JsonParser *parser = json_parser_new();
    ck_assert_msg(json_parser_load_from_data(parser, text, size, &error), "%s",
                  error != NULL ? error->message : "");
    JsonNode *root = json_node_copy(json_parser_get_root(parser));
    g_object_unref(parser);
    return root;
}

// Above each stands, unseen by the reader, the command that prints it.
START_TEST(results_are_what_the_commands_print) {
    char *text = docs("docs/formats.md");
    unsigned found = 0;
    for (const char *at = text; (at = strstr(at, "```json\n")) != NULL; found++) {
        const char *body = at + strlen("```json\n");
        const char *end = strstr(body, "\n```");
        char *before = g_strndup(text, (gsize)(at - text));
        const char *line = strrchr(before, '!');
        ck_assert_msg(g_str_has_prefix(line, "!-- cammino ") && g_str_has_suffix(line, " -->\n"),
                      "no command stands above example %u", found + 1);
        char *command =
            g_strndup(line + strlen("!-- cammino"), strlen(line) - strlen("!-- cammino -->\n"));
        char *whole = g_strconcat(COMMAND, command, NULL);
        call(whole);
        JsonNode *all = parse(out, -1);
        JsonNode *part = parse(body, end - body);
        ck_assert_msg(holds(all, part), "example %u differs from%s", found + 1, command);
        json_node_free(part);
        json_node_free(all);
        g_free(whole);
        g_free(command);
        g_free(before);
        at = end;
    }
    ck_assert_uint_ge(found, 3);
    g_free(text);
}
END_TEST

// ---------------------------------------------------------------------- the tour and the README --

#define BUILT "build/release/cli/cammino "

START_TEST(the_tours_calls_do_what_it_says) {
    char *text = docs("docs/tour.md");
    char **lines = g_strsplit(text, "\n", -1);
    copy_data();
    unsigned calls = 0;
    unsigned claims = 0;
    GString *said = g_string_new(NULL);
    for (unsigned i = 0; lines[i] != NULL; i++) {
        if (g_str_has_prefix(lines[i], BUILT)) {
            const char *arguments = lines[i] + strlen(BUILT);
            if (g_str_has_prefix(arguments, "live ")) {
                continue; // needs a terminal
            }
            char *line = g_strdup_printf("sh -c 'cd %s && " COMMAND " %s'", folder, arguments);
            int status = call(line);
            bool fails = strstr(arguments, "--fault") != NULL;
            ck_assert_msg(status == fails, "%s: %d: %s", arguments, status, err);
            g_string_append(said, out);
            calls++;
            g_free(line);
        }
        // What the text says of the calls above, unseen by the reader.
        const char *claim = strstr(lines[i], "<!-- prints: ");
        if (claim != NULL) {
            claim += strlen("<!-- prints: ");
            char *wanted = g_strndup(claim, (gsize)(strstr(claim, " -->") - claim));
            ck_assert_msg(strstr(said->str, wanted) != NULL, "nothing prints: %s", wanted);
            claims++;
            g_free(wanted);
        }
    }
    ck_assert_uint_ge(calls, 8);
    ck_assert_uint_ge(claims, 3);
    remove_data();
    g_string_free(said, TRUE);
    g_strfreev(lines);
    g_free(text);
}
END_TEST

static char *block(const char *text, const char *kind) {
    const char *at = strstr(text, kind);
    ck_assert_ptr_nonnull(at);
    at += strlen(kind);
    return g_strndup(at, (gsize)(strstr(at, "```") - at));
}

START_TEST(the_tours_route_and_the_readmes_program_are_sound) {
    char *tour = docs("docs/tour.md");
    char *text = docs("README.md");
    char *route = block(tour, "```yaml\n");
    char *code = block(text, "```c\n");
    copy_data();
    char *path = g_build_filename(folder, "data/ferry/example.yaml", NULL);
    ck_assert(g_file_set_contents(path, route, -1, NULL));
    ck_assert_int_eq(CALL("drive %s/data/ferry/example.yaml"), 0);
    char *source = g_strdup_printf(
        "#include <cammino/cammino.h>\n#include <stdio.h>\n"
        "int try(void);\nextern const cmo_robot_description mozzo;\nextern const cmo_port port;\n"
        "extern const cmo_levels left_levels, right_levels;\nint try(void) {\n%s"
        "return (int)outcome;\n}\n",
        code);
    char *file = in_folder("example.c");
    ck_assert(g_file_set_contents(file, source, -1, NULL));
    char *line = g_strdup_printf("cc -std=c11 -Wall -Werror -fsyntax-only -I%s/include %s",
                                 SOURCE_DIR, file);
    ck_assert_msg(call(line) == 0, "%s", err);
    remove_data();
    g_free(line);
    g_free(file);
    g_free(source);
    g_free(path);
    g_free(code);
    g_free(route);
    g_free(text);
    g_free(tour);
}
END_TEST

// Every picture in docs/screenshots/ is in the README's gallery, and every link leads somewhere.
START_TEST(the_readmes_links_lead_somewhere) {
    char *text = docs("README.md");
    GRegex *link = g_regex_new("\\]\\(([^)#]+)\\)", 0, 0, NULL);
    GMatchInfo *match;
    g_regex_match(link, text, 0, &match);
    unsigned links = 0;
    for (; g_match_info_matches(match); g_match_info_next(match, NULL), links++) {
        char *path = g_match_info_fetch(match, 1);
        ck_assert_msg(g_file_test(path, G_FILE_TEST_EXISTS), "README.md: %s leads nowhere", path);
        g_free(path);
    }
    ck_assert_uint_gt(links, 30);
    GDir *pictures = g_dir_open("docs/screenshots", 0, NULL);
    for (const char *name = g_dir_read_name(pictures); name != NULL;
         name = g_dir_read_name(pictures)) {
        ck_assert_msg(strstr(text, name) != NULL, "README.md does not show %s", name);
    }
    g_dir_close(pictures);
    g_match_info_free(match);
    g_regex_unref(link);
    g_free(text);
}
END_TEST

int main(void) {
    make_folder();
    const TTest *const tests[] = {
        results_are_what_the_commands_print, the_tours_calls_do_what_it_says,
        the_tours_route_and_the_readmes_program_are_sound, the_readmes_links_lead_somewhere, NULL};
    int status = run_suite("docs", tests);
    remove_folder();
    return status;
}
