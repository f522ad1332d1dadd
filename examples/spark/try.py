"""Scores, counts and learns from made-up reviews on two workers, and holds all of it against one machine.

    python try.py PROGRAM FOLDER      FOLDER as `heddle demo FOLDER` makes it

Partitions are skewed, one is empty, and one kills its worker the first time it is tried: Spark tries
it again, and no row is lost or counted twice.
"""

import os
import signal
import subprocess
import sys
import tempfile

import pyspark
from pyspark import TaskContext
from pyspark.sql import SparkSession

from heddle_spark import add_up, count, score, train
from workers import worker_of_mine

SETTINGS = {"reviews.text": '["headline", "review"]', "reviews.stars": "stars", "polarity.missing": '"0"'}
KILLS = 3


def session():
    """Two workers with a core each, as processes of their own."""
    os.environ.setdefault("SPARK_HOME", os.path.dirname(pyspark.__file__))
    os.environ.setdefault("PYSPARK_PYTHON", sys.executable)
    here = os.path.dirname(os.path.abspath(__file__))
    os.environ["PYTHONPATH"] = os.pathsep.join([here, os.environ.get("PYTHONPATH", "")])
    return (
        SparkSession.builder.master("local-cluster[2,1,1024]")
        .appName("heddle")
        .config("spark.ui.enabled", "false")
        .config("spark.ui.showConsoleProgress", "false")
        .config("spark.driver.host", "127.0.0.1")
        .config("spark.driver.bindAddress", "127.0.0.1")
        .config("spark.sql.shuffle.partitions", "4")
        .config("spark.executorEnv.PYTHONPATH", os.environ["PYTHONPATH"])
        .getOrCreate()
    )


def uneven(frame):
    """The same rows in the same order, in partitions of very different sizes, of which one is empty."""
    rows = frame.rdd.zipWithIndex().map(lambda pair: (pair[1], pair[0]))
    edges = [40, 60, 60, 2500]  # the third is empty
    parted = rows.partitionBy(len(edges) + 1, lambda key: sum(key >= edge for edge in edges))
    ordered = parted.mapPartitions(lambda part: iter(sorted(part))).map(lambda pair: pair[1])
    return frame.sparkSession.createDataFrame(ordered, frame.schema)


def killing_once(frame, mark):
    """The same rows; the first time that one of the partitions is read, its worker is killed. `mark` is the name of a file
    that tells whether that has happened: what a killed worker had done may have to be done again, too."""

    def partition(batches):
        for batch in batches:
            if TaskContext.get().partitionId() == KILLS and not os.path.exists(mark):
                with open(mark, "x"):
                    os.kill(worker_of_mine(), signal.SIGKILL)
            yield batch

    return frame.mapInArrow(partition, frame.schema)


KILLING = """#!{python}
import os, sys
sys.path.insert(0, {here!r})
if sys.argv[2:3] == ["answer"] and any(part.endswith("question-5") for part in sys.argv):
    if sys.argv[3].endswith("000003.rows") and not os.path.exists({mark!r}):
        import signal
        open({mark!r}, "x").close()
        from workers import worker_of_mine
        os.kill(worker_of_mine(), signal.SIGKILL)
os.execv({program!r}, [{program!r}, *sys.argv[1:]])
"""


def killing(program, mark):
    """A program that is another one, but for the worker that it kills once, in the middle of a lesson."""
    name = os.path.abspath("killing")
    here = os.path.dirname(os.path.abspath(__file__))
    with open(name, "w") as script:
        script.write(KILLING.format(python=sys.executable, here=here, program=program, mark=os.path.abspath(mark)))
    os.chmod(name, 0o755)
    return name


def main(program, folder):
    program, folder = os.path.abspath(program), os.path.abspath(folder)
    file = os.path.join(folder, "crossings.csv")
    work = tempfile.mkdtemp()
    os.chdir(work)

    def heddle(*arguments, settings=SETTINGS):
        flags = [part for key, value in settings.items() for part in ("--set", f"{key}={value}")]
        subprocess.run([program, *arguments, "--quiet", *flags], check=True, stdout=subprocess.DEVNULL)

    heddle("train", file, "--out", "model.heddle")
    heddle("score", "model.heddle", file, "--out", "one.parquet")
    heddle("terms", file, "--out", "one-terms.csv")

    spark = session()
    spark.sparkContext.setLogLevel("OFF")
    frame = uneven(spark.read.csv(file, header=True, multiLine=True, escape='"').coalesce(1))
    sizes = frame.rdd.glom().map(len).collect()
    print("rows by partition:", sizes)
    assert 0 in sizes and max(sizes) > 10 * min(size for size in sizes if size)

    scored = score(killing_once(frame, os.path.join(work, "killed-once")), os.path.join(work, "model.heddle"), program, SETTINGS)
    scored = scored.select("review_id", "polarity", "p_negative", "p_positive", "verdict").collect()
    one = spark.read.parquet(os.path.join(work, "one.parquet")).select(
        "review_id", "polarity", "p_negative", "p_positive", "verdict"
    ).collect()
    assert os.path.exists("killed-once"), "a worker was killed"
    assert scored == one, "rows are scored as on one machine, to the last digit and in order"
    print(f"{len(scored)} rows are scored as on one machine")

    add_up(count(killing_once(frame, os.path.join(work, "killed-twice")), program, SETTINGS), os.path.join(work, "sums.parquet"))
    assert os.path.exists("killed-twice"), "another one was"
    heddle("terms", "--merge", "sums.parquet", "--out", "sum-terms.csv")
    with open("one-terms.csv", "rb") as one, open("sum-terms.csv", "rb") as added:
        assert one.read() == added.read(), "terms are those of one pass, byte for byte"
    print("terms are those of one pass, byte for byte")

    learning = SETTINGS | {
        "terms.hashed": "16", "model.learner": "logistic", "model.strength": "0.001", "model.tolerance": "5e-4",
    }
    os.mkdir("rounds")
    learnt = train(
        killing_once(frame, os.path.join(work, "killed-thrice")), os.path.join(work, "rounds.heddle"),
        os.path.join(work, "rounds"), killing(program, "killed-in-a-lesson"), learning,
    )
    assert os.path.exists("killed-thrice") and os.path.exists("killed-in-a-lesson"), "two more were"
    heddle("train", file, "--out", "whole.heddle", settings=learning)
    account = learnt["trained"]["account"]
    assert account["read"] == len(scored), "every row is counted once"
    probabilities = []
    for name in "rounds", "whole":
        heddle("score", f"{name}.heddle", file, "--out", f"{name}.parquet")
        rows = spark.read.parquet(os.path.join(work, f"{name}.parquet")).select("p_positive").collect()
        probabilities.append([row.p_positive for row in rows])
    apart = max(abs(one - other) for one, other in zip(*probabilities))
    assert len(probabilities[0]) == len(scored) and apart < 0.02, apart
    rounds = learnt["trained"]["card"]["convergence"]["rounds"]
    print(f"{rounds} rounds end where one machine does: no probability is more than {apart:.4f} apart")

    try:
        score(frame.drop("headline"), os.path.join(work, "model.heddle"), program, {}).collect()
    except Exception as problem:
        assert "headline" in str(problem), problem
        print("a missing column is told by the program")
    else:
        raise AssertionError("a missing column went through")
    spark.stop()


if __name__ == "__main__":
    main(*sys.argv[1:3])
