namespace Pellicor
{
    public class Part
    {
        public Place Place = new Place();

        public virtual void Advance(float seconds)
        {
        }
    }

    public sealed class Place
    {
        public float Scale = 1f;
    }
}
