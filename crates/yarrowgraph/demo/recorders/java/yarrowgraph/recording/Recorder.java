package yarrowgraph.recording;

import java.io.IOException;
import java.io.Writer;
import java.lang.ref.Reference;
import java.lang.ref.ReferenceQueue;
import java.lang.ref.WeakReference;
import java.lang.reflect.Array;
import java.lang.reflect.Method;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.ArrayDeque;
import java.util.Arrays;
import java.util.Collection;
import java.util.Deque;
import java.util.HashMap;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.Callable;

/**
 * Writes what happens in a program to a recording (JSON Lines) that yarrowgraph can read. One file, no dependencies: import
 * it, or paste it and change the package.
 *
 * <p>Nothing is written unless the environment variable YARROWGRAPH_RECORDING names a file, or {@link #to} was called. Every
 * record is written as it happens, so that a crash leaves all that came before. Objects are labelled by their simple type
 * and number in the order in which they are first named, and are not kept alive by that.
 *
 * <pre>
 * try (Recorder.Span raise = Recorder.raise("Gauge.rose", this, cm)) {
 *     for (RiseListener l : listeners) {
 *         try (Recorder.Span told = Recorder.deliver(l.getClass().getName() + ".risen", l)) {
 *             l.risen(cm);
 *         }
 *     }
 * }
 * </pre>
 */
public final class Recorder {
    private static final int LONGEST = 2000;
    private static final int MOST = 200;
    private static final int DEEPEST = 8;
    private static final Set<String> TESTS = Set.of("Test", "ParameterizedTest", "RepeatedTest", "TestFactory", "Property");

    private static final Map<Key, String> LABELS = new HashMap<>();
    private static final ReferenceQueue<Object> GONE = new ReferenceQueue<>();
    private static final Map<String, Integer> COUNTS = new HashMap<>();
    private static final ThreadLocal<Deque<Span>> OPEN = ThreadLocal.withInitial(ArrayDeque::new);
    private static final ThreadLocal<String> LANE = new ThreadLocal<>();
    private static final ThreadLocal<String> CASE = new ThreadLocal<>();
    private static int lanes;
    private static long last;
    private static final long STARTED = System.nanoTime();
    private static Writer out = open(System.getenv("YARROWGRAPH_RECORDING"), null);

    private Recorder() {
    }

    /** Begins a recording in a file; what was there before goes. */
    public static synchronized void to(Path file, String program) {
        close();
        last = 0;
        out = open(file.toString(), program);
    }

    /** Ends the recording. */
    public static synchronized void close() {
        if (out != null) {
            try {
                out.close();
            } catch (IOException e) {
                System.err.println("recording: " + e);
            }
            out = null;
        }
    }

    private static Writer open(String file, String program) {
        if (file == null || file.isEmpty()) {
            return null;
        }
        try {
            Writer writer = Files.newBufferedWriter(Path.of(file), StandardCharsets.UTF_8);
            StringBuilder head = new StringBuilder("{\"recording\":1");
            if (program != null) {
                field(head, "program", program);
            }
            writer.write(head + ",\"made_by\":\"recorder-java 1\"}\n");
            writer.flush();
            return writer;
        } catch (IOException e) {
            System.err.println("recording: " + file + " cannot be written: " + e);
            return null;
        }
    }

    // ---- who and where

    /** Says in which lane this thread works: its role ("pump"), the same in every run. */
    public static void lane(String role) {
        LANE.set(role);
    }

    /** Says which test runs on this thread, or that none does any more. Tests of the usual frameworks are found without it. */
    public static void test(String name) {
        CASE.set(name);
    }

    /** Gives an object its label now, so that two of one type can be told apart by the order in which they were made. */
    public static void made(Object object) {
        synchronized (Recorder.class) {
            if (out != null) {
                label(object);
            }
        }
    }

    /** Work that belongs to what this thread does now, wherever it is run. */
    public static Runnable carry(Runnable work) {
        Callable<Void> carried = carry((Callable<Void>) () -> {
            work.run();
            return null;
        });
        return () -> {
            try {
                carried.call();
            } catch (RuntimeException e) {
                throw e;
            } catch (Exception e) {
                throw new IllegalStateException(e);
            }
        };
    }

    /** The same for work that gives something back. */
    public static <T> Callable<T> carry(Callable<T> work) {
        Span cause = OPEN.get().peek();
        String test = caseOf();
        return () -> {
            Deque<Span> open = OPEN.get();
            String before = CASE.get();
            if (cause != null) {
                open.push(cause);
            }
            CASE.set(test);
            try {
                return work.call();
            } finally {
                CASE.set(before);
                if (cause != null) {
                    open.removeFirstOccurrence(cause);
                }
            }
        };
    }

    // ---- what happens

    /** A call from outside into the program, or an operation of a receiver. */
    public static Span call(String target, Object object, Object... args) {
        return begin("call", s -> ids(s, "target", target, null, null).object("object", object).args(args));
    }

    /** A channel is raised; whoever is told meanwhile is told by it. */
    public static Span raise(String channel, Object subject, Object... args) {
        Span span = begin("raise", s -> ids(s, "channel", channel, null, null).object("subject", subject).args(args));
        span.channel = channel;
        span.subject = subject;
        return span;
    }

    /** A handler is called by the channel that was raised last on this thread. */
    public static Span deliver(String handler, Object subscriber) {
        Span raise = null;
        for (Span span : OPEN.get()) {
            if (span.channel != null) {
                raise = span;
                break;
            }
        }
        String channel = raise == null ? "?" : raise.channel;
        Object subject = raise == null ? null : raise.subject;
        return begin("deliver",
            s -> ids(s, "channel", channel, "handler", handler).object("subject", subject).object("subscriber", subscriber));
    }

    /** A handler is tied to a channel. */
    public static void subscribe(String channel, Object subject, String handler, Object subscriber) {
        write("subscribe", s -> ids(s, "channel", channel, "handler", handler).object("subject", subject).object("subscriber", subscriber));
    }

    /** A handler is taken off a channel. */
    public static void unsubscribe(String channel, Object subject, String handler, Object subscriber) {
        write("unsubscribe", s -> ids(s, "channel", channel, "handler", handler).object("subject", subject).object("subscriber", subscriber));
    }

    /** A command is handed to its invoker. Keep the span if it is carried out later, and hand it to {@link #run(String, Object, Object, Span)}. */
    public static Span issue(String command, Object object, Object invoker, Object... args) {
        return begin("issue", s -> ids(s, "command", command, null, null).object("object", object).object("invoker", invoker).args(args));
    }

    /** A command is carried out. */
    public static Span run(String command, Object object, Object invoker) {
        return begin("run", s -> ids(s, "command", command, null, null).object("object", object).object("invoker", invoker));
    }

    /** A command that was issued before is carried out now, in other work. */
    public static Span run(String command, Object object, Object invoker, Span issued) {
        return begin("run", s -> ids(s, "command", command, null, null).object("object", object).object("invoker", invoker).later(issued));
    }

    /** A command is taken back. */
    public static Span undo(String command, Object object, Object invoker) {
        return begin("undo", s -> ids(s, "command", command, null, null).object("object", object).object("invoker", invoker));
    }

    /** A request is put to one link of a chain; say what became of it by {@link Span#settle}. */
    public static Span offer(String chain, String handler, Object object, Object request) {
        return begin("offer", s -> ids(s, "chain", chain, "handler", handler).object("object", object).json("request", request));
    }

    /** A machine moves to another state. */
    public static void enter(String machine, Object object, String from, String to, String event) {
        write("enter", s -> ids(s, "machine", machine, "from", from).object("object", object).text("to", to).text("event", event));
    }

    /** An object's life ends. */
    public static void end(Object object) {
        write("end", s -> s.object("object", object));
    }

    /** A remark, which is never compared. */
    public static void note(String text) {
        write("note", s -> s.text("text", text));
    }

    /** Work that is going on; closing it settles it. */
    public static final class Span implements AutoCloseable {
        private final long n;
        private String channel;
        private Object subject;
        private String outcome = "done";
        private Object value;
        private boolean hasValue;
        private boolean closed;

        private Span(long n) {
            this.n = n;
        }

        /** Says how it ends: done, handled, passed, rejected or threw. */
        public Span settle(String how) {
            outcome = how;
            return this;
        }

        /** Says what it gives back. */
        public <T> T gives(T what) {
            value = what;
            hasValue = true;
            return what;
        }

        /** Says that it ends with an exception, which it gives back to be thrown. */
        public <E extends Throwable> E threw(E error) {
            outcome = "threw";
            value = error.getClass().getSimpleName();
            hasValue = true;
            return error;
        }

        @Override
        public void close() {
            if (closed) {
                return;
            }
            closed = true;
            OPEN.get().remove(this);
            if (n > 0) {
                Recorder.write("settle", s -> {
                    s.line.append(",\"of\":").append(n);
                    s.text("outcome", outcome);
                    if (hasValue) {
                        s.json("value", value);
                    }
                });
            }
        }
    }

    // ---- writing

    private interface Fields {
        void put(Line line);
    }

    private static final class Line {
        private final StringBuilder line = new StringBuilder();

        private Line text(String name, String text) {
            if (text != null) {
                field(line, name, text);
            }
            return this;
        }

        private Line object(String name, Object object) {
            return object == null ? this : text(name, label(object));
        }

        private Line args(Object[] args) {
            return args.length == 0 ? this : json("args", args);
        }

        private Line later(Span issued) {
            if (issued != null && issued.n > 0) {
                line.append(",\"for\":").append(issued.n);
            }
            return this;
        }

        private Line json(String name, Object value) {
            line.append(",\"").append(name).append("\":");
            write(line, value, 0);
            return this;
        }
    }

    private static Line ids(Line line, String first, String one, String second, String other) {
        line.text(first, one);
        return second == null ? line : line.text(second, other);
    }

    private static Span begin(String kind, Fields fields) {
        Span span = new Span(write(kind, fields));
        OPEN.get().push(span);
        return span;
    }

    private static long write(String kind, Fields fields) {
        synchronized (Recorder.class) {
            if (out == null) {
                return 0;
            }
            long n = ++last;
            boolean settles = kind.equals("settle");
            Line record = new Line();
            record.line.append("{\"n\":").append(n);
            Span cause = settles ? null : OPEN.get().peek();
            if (cause != null && cause.n > 0) {
                record.line.append(",\"by\":").append(cause.n);
            } else if (!settles) {
                record.text("case", caseOf());
            }
            String lane = laneOf();
            if (!lane.equals("main")) {
                record.text("lane", lane);
            }
            record.line.append(",\"at\":").append(System.nanoTime() - STARTED);
            record.text("kind", kind);
            fields.put(record);
            try {
                out.write(record.line.append("}\n").toString());
                // a crash leaves all that came before
                out.flush();
            } catch (IOException e) {
                System.err.println("recording: " + e);
                out = null;
            }
            return n;
        }
    }

    /** The lane of this thread: what was said of it, or its number by first appearance. */
    private static String laneOf() {
        String lane = LANE.get();
        if (lane == null) {
            lanes++;
            lane = lanes == 1 ? "main" : "lane-" + lanes;
            LANE.set(lane);
        }
        return lane;
    }

    /** The test that runs: what was said, or a method on the stack that is marked as one. */
    private static String caseOf() {
        String said = CASE.get();
        if (said != null) {
            return said;
        }
        return StackWalker.getInstance(StackWalker.Option.RETAIN_CLASS_REFERENCE).walk(frames -> frames
            .filter(f -> isTest(f.getDeclaringClass(), f.getMethodName()))
            .map(f -> f.getDeclaringClass().getSimpleName() + "." + f.getMethodName())
            .findFirst().orElse(null));
    }

    private static boolean isTest(Class<?> type, String method) {
        if (type.getName().startsWith("java.") || type == Recorder.class) {
            return false;
        }
        try {
            for (Method m : type.getDeclaredMethods()) {
                if (m.getName().equals(method)
                    && Arrays.stream(m.getAnnotations()).anyMatch(a -> TESTS.contains(a.annotationType().getSimpleName()))) {
                    return true;
                }
            }
        } catch (LinkageError e) {
            return false;
        }
        return false;
    }

    /** An object by identity, which this does not keep alive. */
    private static final class Key extends WeakReference<Object> {
        private final int hash;

        private Key(Object object, ReferenceQueue<Object> queue) {
            super(object, queue);
            hash = System.identityHashCode(object);
        }

        @Override
        public int hashCode() {
            return hash;
        }

        @Override
        public boolean equals(Object other) {
            return this == other || other instanceof Key && get() != null && get() == ((Key) other).get();
        }
    }

    private static String label(Object object) {
        for (Reference<?> gone = GONE.poll(); gone != null; gone = GONE.poll()) {
            LABELS.remove(gone);
        }
        String known = LABELS.get(new Key(object, null));
        if (known != null) {
            return known;
        }
        String type = object.getClass().getSimpleName();
        if (type.isEmpty()) {
            String full = object.getClass().getName();
            type = full.substring(full.lastIndexOf('.') + 1).replaceAll("[0-9]*$", "").replace('$', '_');
        }
        // a lambda's class has a number that changes from run to run
        int lambda = type.indexOf("$$Lambda");
        type = lambda < 0 ? type : type.substring(0, lambda) + "Lambda";
        String label = type + "#" + COUNTS.merge(type, 1, Integer::sum);
        LABELS.put(new Key(object, GONE), label);
        return label;
    }

    private static void field(StringBuilder to, String name, String text) {
        to.append(",\"").append(name).append("\":");
        text(to, text);
    }

    private static void text(StringBuilder to, String text) {
        to.append('"');
        for (int i = 0; i < text.length(); i++) {
            char c = text.charAt(i);
            boolean lone = Character.isSurrogate(c)
                && !(Character.isHighSurrogate(c) && i + 1 < text.length() && Character.isLowSurrogate(text.charAt(i + 1)))
                && !(Character.isLowSurrogate(c) && i > 0 && Character.isHighSurrogate(text.charAt(i - 1)));
            if (c == '"' || c == '\\') {
                to.append('\\').append(c);
            } else if (c < ' ') {
                to.append(String.format("\\u%04x", (int) c));
            } else {
                to.append(lone ? '\ufffd' : c);
            }
        }
        to.append('"');
    }

    /** A value as JSON: numbers, texts, collections and maps as they are; any other object by its label. */
    private static void write(StringBuilder to, Object value, int depth) {
        if (value == null || value instanceof Boolean) {
            to.append(value);
        } else if (value instanceof Number) {
            double number = ((Number) value).doubleValue();
            boolean plain = !Double.isNaN(number) && !Double.isInfinite(number);
            String digits = value.toString();
            to.append(plain && digits.matches("-?[0-9]+(\\.[0-9]+)?([eE][-+]?[0-9]+)?") ? digits : "\"" + digits + "\"");
        } else if (value instanceof Enum) {
            text(to, ((Enum<?>) value).name());
        } else if (value instanceof CharSequence || value instanceof Character) {
            String whole = value.toString();
            if (whole.length() > LONGEST) {
                digest(to, whole);
            } else {
                text(to, whole);
            }
        } else if (depth > DEEPEST) {
            text(to, "…");
        } else if (value instanceof Map) {
            char before = '{';
            Map<?, ?> map = (Map<?, ?>) value;
            for (Map.Entry<?, ?> entry : map.entrySet()) {
                to.append(before);
                text(to, String.valueOf(entry.getKey()));
                to.append(':');
                write(to, entry.getValue(), depth + 1);
                before = ',';
            }
            to.append(map.isEmpty() ? "{}" : "}");
        } else if (value instanceof Collection) {
            items(to, ((Collection<?>) value).toArray(), depth);
        } else if (value.getClass().isArray()) {
            items(to, value, depth);
        } else {
            to.append("{\"object\":");
            text(to, label(value));
            to.append('}');
        }
    }

    private static void items(StringBuilder to, Object array, int depth) {
        int length = Array.getLength(array);
        if (length > MOST) {
            StringBuilder whole = new StringBuilder();
            for (int i = 0; i < length; i++) {
                write(whole, Array.get(array, i), depth + 1);
            }
            digest(to, whole.toString());
            return;
        }
        to.append('[');
        for (int i = 0; i < length; i++) {
            if (i > 0) {
                to.append(',');
            }
            write(to, Array.get(array, i), depth + 1);
        }
        to.append(']');
    }

    /** What is too long to be written out. */
    private static void digest(StringBuilder to, String whole) {
        try {
            byte[] sum = MessageDigest.getInstance("SHA-256").digest(whole.getBytes(StandardCharsets.UTF_8));
            to.append("{\"digest\":\"");
            for (int i = 0; i < 16; i++) {
                to.append(String.format("%02x", sum[i]));
            }
            to.append("\"}");
        } catch (NoSuchAlgorithmException e) {
            to.append("{\"digest\":\"").append(Integer.toHexString(whole.hashCode())).append("\"}");
        }
    }
}
