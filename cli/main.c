// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli.h"

#include <cammino_lab/json.h>
#include <cammino_lab/series.h>

#include <errno.h>
#include <fcntl.h>
#include <locale.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static const cli_command *const commands[] = {
    &cli_demo,   &cli_budget, &cli_wiring, &cli_levels,  &cli_drive, &cli_generate, &cli_live,
    &cli_series, &cli_sweep,  &cli_judge,  &cli_compare, &cli_draw,  &cli_keys,     NULL};

// What comes from files and calls stays one line.
static void print_line(FILE *to, const char *before, const char *format, va_list arguments) {
    char *text = g_strdup_vprintf(format, arguments);
    char *line = lab_printable(text);
    fprintf(to, "%s%s\n", before, line);
    g_free(line);
    g_free(text);
}

int cli_wrong(const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    print_line(stderr, "cammino: ", format, arguments);
    va_end(arguments);
    return CLI_WRONG;
}

void cli_line(const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    print_line(stdout, "", format, arguments);
    va_end(arguments);
}

int cli_error(GError *error) {
    int status = cli_wrong("%s", error->message);
    g_clear_error(&error);
    return status;
}

const char *cli_side(unsigned sensor) {
    return sensor == 0 ? "left" : "right";
}

void cli_print_json(JsonBuilder *builder) {
    char *text = lab_json_end(builder, true);
    puts(text);
    g_free(text);
}

static lab_run *checked(const lab_route *route, lab_run *run) {
    GError *error = NULL;
    if (!lab_check_run(route, run, &error)) {
        cli_error(error);
        lab_run_free(run);
        return NULL;
    }
    return run;
}

lab_run *cli_drive_route(const lab_route *route, gint64 seed) {
    return checked(route, lab_drive(route, (uint64_t)seed));
}

lab_run *cli_drive_trial(const lab_route *route, gint64 seed) {
    return checked(route,
                   lab_drive_trial(route, (uint64_t)seed, true)); // loading it has drawn its robot
}

lab_route *cli_load_route(const char *path, const char *robot, gint64 seed) {
    return cli_load_changed(path, robot, seed, NULL);
}

lab_route *cli_load_changed(const char *path, const char *robot, gint64 seed,
                            const lab_change *change) {
    GError *error = NULL;
    lab_route *route = lab_route_load_changed(path, robot, (uint64_t)seed, change, NULL, &error);
    if (route != NULL && !lab_check(route, &error)) {
        lab_route_free(route);
        route = NULL;
    }
    if (route == NULL) {
        cli_error(error);
    }
    return route;
}

bool cli_calibrate(lab_route *route, char *const *routes) {
    GError *error = NULL;
    bool good = lab_route_calibrate(route, (const char *const *)routes, NULL, &error);
    if (!good) {
        cli_error(error);
    }
    return good;
}

bool cli_one_robot(const lab_route *route, const char *option) {
    if (route->fleet != NULL) {
        cli_wrong("%s: %s is a fleet: each of its robots has its own; a robot file would do",
                  option, route->robot_path);
    }
    return route->fleet == NULL;
}

static void print_usage(FILE *out) {
    fputs("Usage: cammino COMMAND [OPTION...]\n\n"
          "Line and boundary routines for small robots, on a simulated robot.\n\nCommands:\n",
          out);
    for (const cli_command *const *command = commands; *command != NULL; command++) {
        fprintf(out, "  %-8s %s\n", (*command)->name, (*command)->summary);
    }
    fputs("\ncammino COMMAND --help tells more of a command; cammino --version says which this "
          "is.\n",
          out);
}

static int run_command(const cli_command *command, int count, char **arguments) {
    char *usage = g_strdup_printf("%s", command->arguments);
    GOptionContext *context = g_option_context_new(usage);
    char *description = g_strdup_printf("%s\n\nExample:\n  %s\n", command->text, command->example);
    g_option_context_set_summary(context, command->summary);
    g_option_context_set_description(context, description);
    gboolean help = FALSE;
    const GOptionEntry help_entry[] = {
        {"help", 'h', 0, G_OPTION_ARG_NONE, &help, "Say what the command does", NULL},
        {NULL, 0, 0, 0, NULL, NULL, NULL}};
    g_option_context_set_help_enabled(context, FALSE); // it would end the program by itself
    g_option_context_add_main_entries(context, command->options, NULL);
    g_option_context_add_main_entries(context, help_entry, NULL);
    GError *error = NULL;
    int status = CLI_DONE;
    char *program = g_strdup_printf("cammino %s", command->name);
    g_set_prgname(program);
    if (g_option_context_parse(context, &count, &arguments, &error)) {
        bool parted = count > 1 && strcmp(arguments[1], "--") == 0;
        if (help) {
            char *text = g_option_context_get_help(context, TRUE, NULL);
            fputs(text, stdout);
            g_free(text);
        } else {
            status = command->run(count - 1 - parted, arguments + 1 + parted);
        }
    } else {
        status =
            cli_wrong("%s; cammino %s --help lists the options", error->message, command->name);
        g_clear_error(&error);
    }
    g_option_context_free(context);
    g_free(program);
    g_free(description);
    g_free(usage);
    return status;
}

static int run_word(const char *word, int count, char **arguments) {
    for (const cli_command *const *command = commands; *command != NULL; command++) {
        if (strcmp(word, (*command)->name) == 0) {
            return run_command(*command, count, arguments);
        }
    }
    if (strcmp(word, "--help") == 0 || strcmp(word, "-h") == 0 || strcmp(word, "help") == 0) {
        print_usage(stdout);
    } else if (strcmp(word, "--version") == 0) {
        puts("cammino " CAMMINO_VERSION);
    } else if (strcmp(word, "--manual") == 0) {
        cli_print_manual(commands);
    } else if (strcmp(word, "--completion") == 0) {
        cli_print_completion(commands);
    } else {
        GString *known = g_string_new(NULL);
        for (const cli_command *const *command = commands; *command != NULL; command++) {
            g_string_append_printf(known, "%s%s", known->len > 0 ? ", " : "", (*command)->name);
        }
        int status = cli_wrong("%s: no such command; known are %s", word, known->str);
        g_string_free(known, TRUE);
        return status;
    }
    return CLI_DONE;
}

// A stream that was closed must not become the first file that is opened.
static void open_streams(void) {
    int file;
    do {
        file = open("/dev/null", O_RDWR);
    } while (file >= 0 && file <= STDERR_FILENO);
    if (file > STDERR_FILENO) {
        close(file);
    }
}

int main(int count, char **arguments) {
    open_streams();
    signal(SIGPIPE, SIG_IGN); // a reader that ends early is an error like any other
    setlocale(LC_CTYPE, "");
    if (count < 2) {
        print_usage(stderr);
        return CLI_WRONG;
    }
    int status = run_word(arguments[1], count - 1, arguments + 1);
    if (fflush(stdout) != 0 || ferror(stdout)) {
        // Who closes the pipe, as head does, knows that there is more.
        return errno == EPIPE ? CLI_WRONG : cli_wrong("the output cannot be written");
    }
    return status;
}
