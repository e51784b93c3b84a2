package marlwend;

import java.io.IOException;
import java.io.PrintWriter;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.HashMap;
import java.util.IdentityHashMap;
import java.util.Map;

/** Writes what happens to the file named in YARROWGRAPH_RECORDING, one JSON object a line. */
final class Tape {
    private static final Map<Object, String> LABELS = new IdentityHashMap<>();
    private static final Map<String, Integer> COUNTS = new HashMap<>();
    private static final Deque<Long> OPEN = new ArrayDeque<>();
    private static final PrintWriter OUT = open();
    private static long last;

    private Tape() {
    }

    private static PrintWriter open() {
        String file = System.getenv("YARROWGRAPH_RECORDING");
        if (file == null) {
            return null;
        }
        try {
            PrintWriter out = new PrintWriter(Files.newBufferedWriter(Path.of(file), StandardCharsets.UTF_8), true);
            out.println("{\"recording\":1,\"program\":\"marlwend\",\"made_by\":\"tape-java 1\"}");
            return out;
        } catch (IOException e) {
            throw new IllegalStateException(file + " cannot be written", e);
        }
    }

    /** Work that is going on; closing it settles it. */
    interface Span extends AutoCloseable {
        @Override
        void close();
    }

    static Span call(String target, Object object, int cm) {
        return begin("\"kind\":\"call\",\"target\":\"" + target + "\",\"object\":\"" + label(object) + "\",\"args\":{\"cm\":" + cm + "}");
    }

    static Span call(String target) {
        return begin("\"kind\":\"call\",\"target\":\"" + target + "\"");
    }

    /** An object that can be told apart from now on. */
    static void made(Object object) {
        begin("\"kind\":\"call\",\"target\":\"" + object.getClass().getName() + ".new\",\"object\":\"" + label(object) + "\"").close();
    }

    static Span raise(String channel, Object subject, int cm) {
        return begin("\"kind\":\"raise\",\"channel\":\"" + channel + "\",\"subject\":\"" + label(subject) + "\",\"args\":{\"cm\":" + cm + "}");
    }

    static Span deliver(String channel, Object subject, Object subscriber, String method) {
        String handler = subscriber.getClass().getName() + "." + method;
        return begin("\"kind\":\"deliver\",\"channel\":\"" + channel + "\",\"subject\":\"" + label(subject) + "\",\"handler\":\"" + handler
            + "\",\"subscriber\":\"" + label(subscriber) + "\"");
    }

    static void subscribe(String channel, Object subject, Object subscriber, String method) {
        tie("subscribe", channel, subject, subscriber, method);
    }

    static void unsubscribe(String channel, Object subject, Object subscriber, String method) {
        tie("unsubscribe", channel, subject, subscriber, method);
    }

    private static void tie(String kind, String channel, Object subject, Object subscriber, String method) {
        String handler = subscriber.getClass().getName() + "." + method;
        write("\"kind\":\"" + kind + "\",\"channel\":\"" + channel + "\",\"subject\":\"" + label(subject) + "\",\"handler\":\"" + handler
            + "\",\"subscriber\":\"" + label(subscriber) + "\"");
    }

    private static String label(Object object) {
        return LABELS.computeIfAbsent(object, o -> {
            String type = o.getClass().getSimpleName();
            return type + "#" + COUNTS.merge(type, 1, Integer::sum);
        });
    }

    private static Span begin(String fields) {
        long n = write(fields);
        OPEN.push(n);
        return () -> {
            OPEN.pop();
            write("\"kind\":\"settle\",\"of\":" + n + ",\"outcome\":\"done\"");
        };
    }

    private static long write(String fields) {
        long n = ++last;
        boolean settles = fields.startsWith("\"kind\":\"settle\"");
        String by = OPEN.isEmpty() || settles ? "" : "\"by\":" + OPEN.peek() + ",";
        if (OUT != null) {
            OUT.println("{\"n\":" + n + "," + by + fields + "}");
        }
        return n;
    }
}
