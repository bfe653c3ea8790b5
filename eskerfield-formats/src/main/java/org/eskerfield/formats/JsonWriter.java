package org.eskerfield.formats;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.util.DefaultIndenter;
import com.fasterxml.jackson.core.util.DefaultPrettyPrinter;
import java.io.IOException;
import java.io.StringWriter;
import java.io.UncheckedIOException;
import java.math.BigInteger;
import java.time.Duration;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.check.Finding;
import org.eskerfield.model.Named;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServicePart;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.Match;
import org.eskerfield.state.BindingRow;
import org.eskerfield.state.PoolFill;
import org.eskerfield.state.SessionRow;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Figures;
import org.eskerfield.trace.FileTransfer;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Lookup;
import org.eskerfield.trace.NearMiss;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Segment;
import org.eskerfield.trace.Trace;
import org.eskerfield.verify.Verdict;
import org.eskerfield.walk.Outcome;
import org.jspecify.annotations.Nullable;

/**
 * Writes answers as JSON (RFC 8259). The shapes are fixed by {@link Schemas#TRACE}, {@link
 * Schemas#CHECK} and {@link Schemas#REPLAY}.
 */
public final class JsonWriter {
  private static final JsonFactory FACTORY = new JsonFactory();

  private final JsonGenerator json;

  private JsonWriter(JsonGenerator json) {
    this.json = json;
  }

  private interface Body {
    void write(JsonWriter writer) throws IOException;
  }

  private static String written(Body body) {
    StringWriter text = new StringWriter();
    DefaultPrettyPrinter printer =
        new DefaultPrettyPrinter()
            .withObjectIndenter(new DefaultIndenter("  ", "\n"))
            .withArrayIndenter(new DefaultIndenter("  ", "\n"));
    try (JsonGenerator json = FACTORY.createGenerator(text)) {
      json.setPrettyPrinter(printer);
      body.write(new JsonWriter(json));
    } catch (IOException e) {
      throw new UncheckedIOException("writing to memory does not fail", e);
    }
    return text.append('\n').toString();
  }

  /**
   * An answer as JSON: maps become objects in their order, lists arrays, null is null, and what is
   * neither a number nor a truth value is written as text; with a line break at the end.
   */
  public static String tree(Object answer) {
    return written(writer -> writer.value(answer));
  }

  private void value(@Nullable Object value) throws IOException {
    if (value instanceof Map<?, ?> map) {
      json.writeStartObject();
      for (Map.Entry<?, ?> entry : map.entrySet()) {
        json.writeFieldName(String.valueOf(entry.getKey()));
        value(entry.getValue());
      }
      json.writeEndObject();
    } else if (value instanceof Collection<?> list) {
      json.writeStartArray();
      for (Object item : list) {
        value(item);
      }
      json.writeEndArray();
    } else if (value instanceof Boolean truth) {
      json.writeBoolean(truth);
    } else if (value instanceof Integer || value instanceof Long || value instanceof BigInteger) {
      json.writeNumber(value.toString());
    } else if (value == null) {
      json.writeNull();
    } else {
      json.writeString(value.toString());
    }
  }

  /**
   * A conversation and what stands in its way, as {@link Schemas#TRACE} says, with a line break at
   * the end.
   */
  public static String conversation(Diagnosis diagnosis) {
    return written(writer -> writer.write(diagnosis));
  }

  /** Several of them, as an array. */
  public static String conversations(List<Diagnosis> diagnoses) {
    return written(
        writer -> {
          writer.json.writeStartArray();
          for (Diagnosis diagnosis : diagnoses) {
            writer.write(diagnosis);
          }
          writer.json.writeEndArray();
        });
  }

  /** Which expectations hold, as {@link Schemas#VERIFY} says, with a line break at the end. */
  public static String verdicts(String site, List<Verdict> verdicts) {
    return written(writer -> writer.write(site, verdicts));
  }

  /**
   * The findings of a check, as {@link Schemas#CHECK} says, with a line break at the end.
   *
   * @param patches the patch of each finding that has one and whose patch is asked for
   */
  public static String check(String site, List<Finding> findings, Map<Finding, String> patches) {
    return written(writer -> writer.write(site, List.of(), findings, patches));
  }

  /** The problems of a file that could not be read, in the same shape. */
  public static String problems(String site, List<Problem> problems) {
    return written(writer -> writer.write(site, problems, List.of(), Map.of()));
  }

  /**
   * What a replay came to, as {@link Schemas#REPLAY} says, with a line break at the end.
   *
   * @param elapsed the time since its start
   * @param outcomes how many flows ended how
   * @param run the run, for the tables of the devices
   * @param devices the devices whose tables are written, in order
   */
  public static String replay(
      Duration elapsed, Map<Outcome, Long> outcomes, Run run, Collection<String> devices) {
    return written(writer -> writer.write(elapsed, outcomes, run, devices));
  }

  private void write(
      Duration elapsed, Map<Outcome, Long> outcomes, Run run, Collection<String> devices)
      throws IOException {
    json.writeStartObject();
    json.writeNumberField("elapsedMillis", elapsed.toMillis());
    json.writeObjectFieldStart("outcomes");
    for (Outcome outcome : Outcome.values()) {
      json.writeNumberField(outcome.toString(), outcomes.getOrDefault(outcome, 0L));
    }
    json.writeEndObject();
    json.writeArrayFieldStart("devices");
    for (String device : devices) {
      json.writeStartObject();
      json.writeStringField("device", device);
      json.writeArrayFieldStart("bindings");
      for (BindingRow row : run.bindings(device)) {
        write(row);
      }
      json.writeEndArray();
      write(run.figures(device));
      json.writeArrayFieldStart("sessions");
      for (SessionRow row : run.sessions(device)) {
        json.writeStartObject();
        headerField("arrived", row.arrived());
        headerField("left", row.left());
        json.writeBooleanField("cameBack", row.cameBack());
        ruleField("destinationRule", row.destinationRule());
        ruleField("sourceRule", row.sourceRule());
        json.writeNumberField("ageMillis", row.age().toMillis());
        json.writeNumberField("leftMillis", row.remaining().toMillis());
        json.writeEndObject();
      }
      json.writeEndArray();
      json.writeEndObject();
    }
    json.writeEndArray();
    json.writeEndObject();
  }

  private void write(BindingRow row) throws IOException {
    json.writeStartObject();
    ruleField("rule", row.rule());
    json.writeStringField(
        "protocol",
        row.protocol() == ServicePart.ANY_PROTOCOL ? null : Protocol.name(row.protocol()));
    json.writeStringField("internal", row.internal().toString());
    json.writeStringField("internalPorts", row.internalPorts().toString());
    json.writeStringField("external", row.external().toString());
    json.writeStringField("externalPorts", row.externalPorts().toString());
    json.writeArrayFieldStart("remotes");
    for (BindingRow.Remote remote : row.remotes()) {
      json.writeStartObject();
      json.writeStringField("inside", remote.inside());
      json.writeStringField("outside", remote.outside());
      json.writeEndObject();
    }
    json.writeEndArray();
    millisField("ageMillis", row.age());
    millisField("leftMillis", row.left());
    json.writeEndObject();
  }

  private void write(Figures figures) throws IOException {
    json.writeObjectFieldStart("figures");
    levelField("sessions", figures.sessions(), figures.sessionsAged());
    levelField("bindings", figures.bindings(), figures.bindingsAged());
    json.writeNumberField("gotNothing", figures.gotNothing());
    json.writeArrayFieldStart("hits");
    List<Figures.Hit> hits = new ArrayList<>(figures.hits());
    hits.sort(Comparator.comparingInt(hit -> hit.by().place().line()));
    for (Figures.Hit hit : hits) {
      json.writeStartObject();
      ruleField("rule", hit.by());
      json.writeNumberField("flows", hit.flows());
      json.writeEndObject();
    }
    json.writeEndArray();
    json.writeArrayFieldStart("pools");
    for (PoolFill fill : figures.fills()) {
      json.writeStartObject();
      ruleField("rule", fill.rule());
      json.writeStringField("of", fill.protocol() == 0 ? null : Protocol.name(fill.protocol()));
      json.writeNumberField("taken", fill.taken());
      json.writeNumberField("size", fill.size());
      json.writeEndObject();
    }
    json.writeEndArray();
    countsField("bindingsByKind", figures.bindingsByKind());
    countsField("packetsByInterface", figures.packetsByInterface());
    countsField("packetsEnded", figures.ended());
    json.writeEndObject();
  }

  private void levelField(String name, Figures.Level level, long aged) throws IOException {
    json.writeObjectFieldStart(name);
    json.writeNumberField("now", level.now());
    json.writeNumberField("most", level.most());
    json.writeStringField("mostAt", DateTimeFormatter.ISO_OFFSET_DATE_TIME.format(level.at()));
    json.writeNumberField("agedOut", aged);
    json.writeEndObject();
  }

  private void countsField(String name, Map<String, Long> counts) throws IOException {
    json.writeObjectFieldStart(name);
    for (Map.Entry<String, Long> entry : counts.entrySet()) {
      json.writeNumberField(entry.getKey(), entry.getValue());
    }
    json.writeEndObject();
  }

  private void millisField(String name, @Nullable Duration duration) throws IOException {
    if (duration == null) {
      json.writeNullField(name);
    } else {
      json.writeNumberField(name, duration.toMillis());
    }
  }

  private void write(Diagnosis diagnosis) throws IOException {
    Conversation conversation = diagnosis.conversation();
    Attempt attempt = conversation.attempt();
    Trace trace = conversation.deciding();
    Trace opening = conversation.opening();
    json.writeStartObject();
    json.writeStringField("outcome", conversation.outcome().toString());
    json.writeStringField("reason", conversation.reason());
    ruleField("decidedBy", trace == null ? null : trace.decidedBy());
    endpointField("deliveredTo", opening == null ? null : opening.deliveredTo());
    endpointField("seenAs", opening == null ? null : opening.seenAs());
    json.writeObjectFieldStart("question");
    json.writeStringField("from", attempt.sender().name());
    json.writeStringField(
        "source", opening == null ? null : opening.question().source().toString());
    json.writeStringField("to", opening == null ? null : opening.question().to().toString());
    json.writeStringField("service", attempt.probe().toString());
    json.writeStringField("at", DateTimeFormatter.ISO_OFFSET_DATE_TIME.format(attempt.at()));
    json.writeEndObject();
    lookupField(conversation.lookup());
    wayField("request", trace == null ? List.of() : trace.request());
    wayField("reply", trace == null ? List.of() : trace.reply());
    json.writeArrayFieldStart("packets");
    for (Segment segment : conversation.segments()) {
      json.writeStartObject();
      json.writeStringField("what", segment.what());
      json.writeBooleanField("back", segment.isReply());
      json.writeBooleanField("delivered", segment.delivered());
      wayField("way", segment.legs());
      json.writeEndObject();
    }
    json.writeEndArray();
    FileTransfer transfer = conversation.transfer();
    if (transfer == null) {
      json.writeNullField("transfer");
    } else {
      json.writeObjectFieldStart("transfer");
      json.writeStringField("mode", transfer.mode().toString());
      json.writeBooleanField("encrypted", transfer.encrypted());
      json.writeStringField("said", transfer.said());
      json.writeStringField("heard", transfer.heard());
      json.writeEndObject();
    }
    textsField("notMet", conversation.notThere());
    textsField("hints", conversation.hints());
    obstaclesField(diagnosis);
    json.writeEndObject();
  }

  private void lookupField(@Nullable Lookup lookup) throws IOException {
    if (lookup == null) {
      json.writeNullField("lookup");
      return;
    }
    json.writeObjectFieldStart("lookup");
    json.writeStringField("name", lookup.name());
    json.writeStringField("answeredBy", lookup.answeredBy());
    textsField("addresses", lookup.addresses().stream().map(Address::toString).toList());
    json.writeStringField("reason", lookup.reason());
    json.writeEndObject();
  }

  private void textsField(String name, List<String> texts) throws IOException {
    json.writeArrayFieldStart(name);
    for (String text : texts) {
      json.writeString(text);
    }
    json.writeEndArray();
  }

  private void obstaclesField(Diagnosis diagnosis) throws IOException {
    json.writeArrayFieldStart("causes");
    for (Obstacle obstacle : diagnosis.obstacles()) {
      json.writeStartObject();
      json.writeStringField("code", obstacle.cause().toString());
      json.writeStringField("title", obstacle.cause().title());
      json.writeStringField("sentence", obstacle.sentence());
      json.writeStringField("detail", obstacle.detail());
      ruleField("by", obstacle.place());
      json.writeEndObject();
    }
    json.writeEndArray();
    json.writeBooleanField("complete", diagnosis.complete());
  }

  private void write(String site, List<Verdict> verdicts) throws IOException {
    json.writeStartObject();
    json.writeStringField("site", site);
    json.writeNumberField("hold", verdicts.stream().filter(Verdict::holds).count());
    json.writeNumberField("of", verdicts.size());
    json.writeArrayFieldStart("expectations");
    for (Verdict verdict : verdicts) {
      json.writeStartObject();
      json.writeStringField("text", verdict.expectation().text());
      placeField(verdict.expectation().place());
      json.writeBooleanField("holds", verdict.holds());
      json.writeArrayFieldStart("results");
      for (Verdict.Result result : verdict.results()) {
        json.writeStartObject();
        json.writeStringField("from", result.conversation().attempt().sender().name());
        json.writeStringField("outcome", result.conversation().outcome().toString());
        json.writeStringField("reason", result.conversation().reason());
        textsField("differences", result.differences());
        if (result.diagnosis() != null) {
          obstaclesField(result.diagnosis());
        }
        json.writeEndObject();
      }
      json.writeEndArray();
      json.writeEndObject();
    }
    json.writeEndArray();
    json.writeEndObject();
  }

  private void endpointField(String name, @Nullable Endpoint endpoint) throws IOException {
    if (endpoint == null) {
      json.writeNullField(name);
      return;
    }
    json.writeObjectFieldStart(name);
    json.writeStringField("host", endpoint.name());
    json.writeStringField("address", endpoint.address().toString());
    portField("port", endpoint.port(), Protocol.hasPorts(endpoint.protocol()));
    json.writeEndObject();
  }

  private void portField(String name, int port, boolean present) throws IOException {
    if (present) {
      json.writeNumberField(name, port);
    } else {
      json.writeNullField(name);
    }
  }

  private void wayField(String name, List<Leg> legs) throws IOException {
    json.writeObjectFieldStart(name);
    json.writeArrayFieldStart("legs");
    for (Leg leg : legs) {
      json.writeStartObject();
      json.writeStringField("where", leg.where());
      json.writeStringField("kind", leg.kind().name().toLowerCase(Locale.ROOT));
      json.writeStringField("arriving", leg.arriving() == null ? null : leg.arriving().name());
      json.writeStringField("leaving", leg.leaving() == null ? null : leg.leaving().name());
      json.writeArrayFieldStart("decisions");
      for (Decision decision : leg.decisions()) {
        write(decision);
      }
      json.writeEndArray();
      json.writeEndObject();
    }
    json.writeEndArray();
    json.writeEndObject();
  }

  private void write(Decision decision) throws IOException {
    json.writeStartObject();
    json.writeStringField("step", decision.ruling().step().toString());
    json.writeStringField("ruling", decision.ruling().code());
    json.writeStringField("text", decision.text());
    ruleField("by", decision.by());
    json.writeBooleanField("logged", decision.logged());
    NearMiss near = decision.near();
    if (near == null) {
      json.writeNullField("nearMiss");
    } else {
      json.writeObjectFieldStart("nearMiss");
      ruleField("rule", near.rule());
      json.writeArrayFieldStart("fields");
      for (Match.Field field : near.fields()) {
        json.writeString(field.name().toLowerCase(Locale.ROOT).replace('_', '-'));
      }
      json.writeEndArray();
      json.writeStringField("text", near.text());
      json.writeEndObject();
    }
    headerField("before", decision.before());
    headerField("after", decision.after());
    json.writeEndObject();
  }

  /** What decided: its name where it has one, and its place where it stands in a file. */
  private void ruleField(String name, @Nullable Placed rule) throws IOException {
    if (rule == null) {
      json.writeNullField(name);
      return;
    }
    json.writeObjectFieldStart(name);
    json.writeStringField("name", rule instanceof Named named ? named.name() : null);
    placeField(rule.place());
    json.writeEndObject();
  }

  private void placeField(Place place) throws IOException {
    if (place.line() == 0) {
      json.writeNullField("place");
      return;
    }
    json.writeObjectFieldStart("place");
    json.writeStringField("file", place.file());
    json.writeNumberField("line", place.line());
    json.writeNumberField("column", place.column());
    json.writeEndObject();
  }

  private void headerField(String name, Header header) throws IOException {
    boolean ports = Protocol.hasPorts(header.protocol());
    json.writeObjectFieldStart(name);
    json.writeStringField("source", header.source().toString());
    portField("sourcePort", header.sourcePort(), ports);
    json.writeStringField("destination", header.destination().toString());
    portField("destinationPort", header.destinationPort(), ports);
    json.writeStringField("protocol", Protocol.name(header.protocol()));
    boolean request = Icmp.isEchoRequest(header.icmpType());
    portField(
        "identifier",
        request ? header.sourcePort() : header.destinationPort(),
        request || Icmp.isEchoReply(header.icmpType()));
    json.writeNumberField("ttl", header.ttl());
    if (header.inner() != null) {
      headerField("about", header.inner());
    }
    json.writeEndObject();
  }

  private void write(
      String site, List<Problem> problems, List<Finding> findings, Map<Finding, String> patches)
      throws IOException {
    json.writeStartObject();
    json.writeStringField("site", site);
    json.writeArrayFieldStart("problems");
    for (Problem problem : problems) {
      json.writeStartObject();
      json.writeStringField("message", problem.message());
      json.writeStringField("remedy", problem.remedy());
      placeField(problem.place());
      json.writeEndObject();
    }
    json.writeEndArray();
    json.writeArrayFieldStart("findings");
    for (Finding finding : findings) {
      json.writeStartObject();
      json.writeStringField("code", finding.code().toString());
      json.writeStringField("severity", finding.severity().toString());
      json.writeStringField("about", finding.about());
      json.writeStringField("message", finding.message());
      json.writeStringField("why", finding.code().why());
      sampleField(finding.sample());
      json.writeStringField("cure", finding.cure().summary());
      json.writeStringField("patch", patches.get(finding));
      json.writeStringField("accepted", finding.accepted());
      placeField(finding.place());
      json.writeEndObject();
    }
    json.writeEndArray();
    json.writeEndObject();
  }

  private void sampleField(@Nullable Conversation sample) throws IOException {
    if (sample == null) {
      json.writeNullField("sample");
      return;
    }
    json.writeObjectFieldStart("sample");
    json.writeStringField("from", sample.attempt().sender().name());
    json.writeStringField("to", sample.attempt().to());
    json.writeStringField("service", sample.attempt().probe().toString());
    json.writeStringField("at", sample.attempt().at().toLocalDateTime().toString());
    json.writeStringField("outcome", sample.outcome().toString());
    json.writeStringField("reason", sample.reason());
    json.writeEndObject();
  }
}
