"""Heddle in the partitions of a Spark DataFrame.

The program is a filter: each partition goes into it as an Arrow stream and comes back as one. Nothing
of Heddle runs in the driver or in the Java machine, and a partition that is tried again gives the same rows again.

    from heddle_spark import score, count, add_up, train

The program must be built with `--features arrow` and be found on every worker under the same name, as must the model.
"""

import json
import os
import subprocess
import tempfile
import threading
import uuid

import pyarrow
import pyarrow.ipc
import pyarrow.parquet
from pyspark.sql import functions
from pyspark.sql.pandas.types import to_arrow_schema
from pyspark.sql.types import DoubleType, LongType, StringType, StructField, StructType

#: What adds up where rows have the same kind and term. What is conceded stands half a time in `times_*`: sums of halves
#: are exact as doubles.
NUMBERS = {
    "negative": LongType(), "positive": LongType(), "neutral": LongType(),
    "times_negative": DoubleType(), "times_positive": DoubleType(), "times_neutral": DoubleType(),
    "inside": LongType(), "capital": LongType(),
}
COUNTS = StructType(
    [StructField("kind", StringType()), StructField("term", StringType())]
    + [StructField(name, own) for name, own in NUMBERS.items()]
)


def settings_of(settings):
    """Settings as arguments of a command."""
    return [part for key, value in (settings or {}).items() for part in ("--set", f"{key}={value}")]


def ended(process, problems, errors):
    """Waits for a command to end; what went wrong, on either side of it, is an error with what it said."""
    if problems:
        process.kill()
        raise problems[0]
    if process.wait():
        errors.seek(0)
        said = errors.read().decode(errors="replace").strip()
        raise RuntimeError(f"{' '.join(process.args)} ended with {process.returncode}: {said}")


def feed(batches, target, problems):
    """Writes record batches as an Arrow stream, and closes it."""
    try:
        with target:
            writer = None
            for batch in batches:
                if writer is None:
                    writer = pyarrow.ipc.new_stream(target, batch.schema)
                writer.write_batch(batch)
            if writer is not None:
                writer.close()
    except BrokenPipeError:
        pass  # the program has ended, and says why itself
    except BaseException as problem:  # whatever stops the rows stops the task
        problems.append(problem)


def first_of(batches):
    """The first batch that has rows, and all that follow; nothing where there are no rows."""
    batches = iter(batches)
    for batch in batches:
        if batch.num_rows:
            def again():
                yield batch
                yield from batches
            return again()
    return None


def score(frame, model, program="heddle", settings=None):
    """The rows of a DataFrame, scored: its columns, then polarity, a probability for each class, and the verdict.

    Rows come in the order of their partition, one for each. Columns hold text, numbers, dates, moments, true and false.
    """
    command = [program, "score", model, "-", "--out", "-.arrows", "--quiet", *settings_of(settings)]
    schema = scored_schema(frame, command)

    def partition(batches):
        rows = first_of(batches)
        if rows is None:
            return  # an empty partition has no columns to tell
        with tempfile.TemporaryFile() as errors:
            process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=errors)
            problems = []
            feeding = threading.Thread(target=feed, args=(rows, process.stdin, problems), daemon=True)
            feeding.start()
            try:
                with pyarrow.ipc.open_stream(process.stdout) as scored:
                    yield from scored
            except pyarrow.ArrowInvalid:
                pass  # nothing came: the code says why
            feeding.join()
            ended(process, problems, errors)

    return frame.mapInArrow(partition, schema)


def scored_schema(frame, command):
    """The columns that the program gives for the columns of a DataFrame: it is asked, with one row of blanks."""
    import pyspark.sql.pandas.types as types

    asked = types.to_arrow_schema(frame.schema)
    text = pyarrow.schema([
        pyarrow.field(field.name, pyarrow.string()) if pyarrow.types.is_string(field.type) else field
        for field in asked
    ])
    blank = pyarrow.RecordBatch.from_arrays(
        [pyarrow.nulls(1, field.type) for field in text], schema=text
    )
    told = pyarrow.BufferOutputStream()
    with pyarrow.ipc.new_stream(told, text) as writer:
        writer.write_batch(blank)
    said = run(command, told.getvalue().to_pybytes())
    return types.from_arrow_schema(pyarrow.ipc.open_stream(said).schema)


def train(frame, model, folder, program="heddle", settings=None):
    """Learns a model from all rows of a DataFrame, in rounds over its partitions; gives what the last round says.

    `folder` is one that the driver and all workers see under the same name; it is to be empty at first, and holds what is
    known between two rounds. What a partition writes there has its name only once it is whole, and depends on its rows
    and the question alone: one that is tried again writes the same, and one that had answered is not asked again.
    """
    flags = settings_of(settings)

    def place(batches):
        from pyspark import TaskContext

        rows = first_of(batches)
        if rows is None:
            return
        name = os.path.join(folder, f"{TaskContext.get().partitionId():06}.rows")
        if not os.path.exists(name):
            with whole(name) as out, tempfile.TemporaryFile() as errors:
                command = [program, "rounds", "rows", "-", "--out", out, "--quiet", *flags]
                process = subprocess.Popen(
                    command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=errors
                )
                problems = []
                feed(rows, process.stdin, problems)
                ended(process, problems, errors)
        yield pyarrow.RecordBatch.from_pydict({"rows": [name]})

    def answer(rows, number):
        stem = rows.removesuffix(".rows")
        name = f"{stem}.answer-{number}"
        if not os.path.exists(name):
            before = f"{stem}.pulls-{number - 1}"
            pulls = ["--pulls", before] if os.path.exists(before) else []
            with whole(f"{stem}.pulls-{number}") as left, whole(name) as out:
                question = os.path.join(folder, f"question-{number}")
                run([program, "rounds", "answer", rows, "--question", question, *pulls,
                     "--out", out, "--pulls-out", left, "--quiet", *flags])
        return name

    def following(number, answers):
        question = os.path.join(folder, f"question-{number}")
        said = run([program, "rounds", "next", *answers, "--state", os.path.join(folder, "state"), "--question", question,
                    "--out", model, "--json", "--quiet", *flags])
        return json.loads(said)

    places = frame.mapInArrow(place, StructType([StructField("rows", StringType())])).collect()
    rows = sorted(row.rows for row in places)
    context = frame.sparkSession.sparkContext
    said = following(0, [])
    while not said["finished"]:
        number = said["round"]
        answers = context.parallelize(rows, len(rows)).map(lambda own: answer(own, number)).collect()
        said = following(number + 1, answers)
        for name in os.listdir(folder):  # what the round before the last left
            if name.endswith((f".answer-{number - 1}", f".pulls-{number - 1}", f"question-{number - 1}")):
                os.remove(os.path.join(folder, name))
    return said


class whole:
    """The name of a file to be written, which gets its own name once it is whole."""

    def __init__(self, name):
        self.name, self.now = name, f"{name}.{uuid.uuid4().hex}"

    def __enter__(self):
        return self.now

    def __exit__(self, kind, problem, trace):
        if kind is None and os.path.exists(self.now):
            os.replace(self.now, self.name)


def run(command, told=b""):
    """What a command says to what it is told; what goes wrong is an error with that."""
    process = subprocess.run(command, input=told, capture_output=True, check=False)
    if process.returncode:
        raise RuntimeError(f"{' '.join(command)}: {process.stderr.decode(errors='replace').strip()}")
    return process.stdout


def count(frame, program="heddle", settings=None):
    """The counts of the terms of each partition, as rows of kind, term and numbers."""
    flags = settings_of(settings)

    def partition(batches):
        rows = first_of(batches)
        if rows is None:
            return
        with tempfile.TemporaryDirectory() as folder, tempfile.TemporaryFile() as errors:
            counts = os.path.join(folder, "counts.parquet")
            command = [program, "terms", "-", "--counts-out", counts, "--quiet", *flags]
            process = subprocess.Popen(
                command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=errors
            )
            problems = []
            feed(rows, process.stdin, problems)
            ended(process, problems, errors)
            table = pyarrow.parquet.read_table(counts)
            yield from table.cast(to_arrow_schema(COUNTS)).to_batches()

    return frame.mapInArrow(partition, COUNTS)


def add_up(counts, path):
    """Adds up counts, and writes them for `heddle terms --merge`."""
    term = functions.coalesce("term", functions.lit("")).alias("term")
    sums = counts.groupBy("kind", term).agg(*(functions.sum(name).alias(name) for name in NUMBERS))
    pyarrow.parquet.write_table(sums.toArrow(), path)
