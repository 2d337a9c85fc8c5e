"""Student's t and Fisher's F are those of scipy's statistics, far into their tails."""

import subprocess
import sys

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from lumenar.core.quantiles import fisher_beyond, fisher_quantile, student_beyond, student_quantile

NU = st.integers(1, 400)


@given(NU, st.floats(-40, 40), st.floats(0.001, 0.9999))
def test_students_t(nu, t, p):
    assert float(student_beyond(t, nu)) == pytest.approx(stats.t.sf(t, nu), rel=1e-6, abs=1e-300)
    assert student_quantile(p, nu) == pytest.approx(stats.t.ppf(p, nu), rel=1e-6, abs=1e-9)


@given(st.integers(1, 30), NU, st.floats(0, 500), st.floats(0.01, 0.999))
def test_fishers_f(over, under, F, p):
    assert float(fisher_beyond(F, over, under)) == pytest.approx(stats.f.sf(F, over, under), rel=1e-6, abs=1e-300)
    assert fisher_quantile(p, over, under) == pytest.approx(stats.f.ppf(p, over, under), rel=1e-6)


def test_many_at_once_are_each_for_itself():
    t = np.linspace(-3, 3, 7).reshape(7, 1)
    assert student_beyond(t, 5) == pytest.approx(stats.t.sf(t, 5))


def test_nobody_waits_for_statistics_to_be_imported():
    """Whoever looks at what was found out first would wait for seconds."""
    code = "import sys, lumenar.app.experiments.experiment_views, lumenar.core.bands, lumenar.core.uncertainty as u"
    code += "; u.measurable(1, 1, 5)"
    code += "; print('scipy.stats' in sys.modules)"
    assert subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout == "False\n"
